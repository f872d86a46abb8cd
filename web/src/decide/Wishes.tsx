import { api, ask } from '../api/client'
import { BegunForm } from '../frame/begun'
import { DayField, dayGiven } from '../frame/DayField'
import { count, day, money } from '../frame/words'
import type { Balance, Plan } from './useBalance'
import { headingOf } from '../frame/vocabulary'

/** What people wish of the plan: customers' orders and pins; held units whose part has come. */
export function Wishes({ slug, plan, balance, currency }: { slug: string; plan: Plan | null; balance: Balance; currency: string }) {
  const data = balance.data
  if (!data) return null
  const path = { params: { path: { slug } } }
  const met = new Map((plan?.sales_orders ?? []).map((order) => [order.key, order]))
  const add = (form: HTMLFormElement): Promise<boolean> => {
    const given = new FormData(form)
    const sheet = given.get('model') as string
    return balance.wished(() => ask(api.POST('/api/batches/{slug}/customer-orders', {
      ...path,
      body: {
        customer: given.get('customer') as string,
        standard: given.get('standard') as string,
        count: Number(given.get('count')),
        sheets: sheet ? [sheet] : [],
        due_on: dayGiven(given, 'due_on') || null,
        price_cents: given.get('price') ? Math.round(Number(given.get('price')) * 100) : null,
      },
    })))
  }
  const drop = (order: number): Promise<boolean> =>
    balance.wished(() => ask(api.DELETE('/api/batches/{slug}/customer-orders/{order}', { params: { path: { slug, order } } })))
  const unpin = (tag: string): Promise<boolean> => balance.pin([tag], null, '', '')
  const names = new Map(data.models.map((model) => [model.key, model.name]))
  const standards = new Map(data.standards.map((standard) => [standard.key, standard.name]))
  const pinned = data.pins.filter((pin) => pin.outcome)
  return (
    <div className="grid gap-6">
      <section>
        <h2>Orders of customers</h2>
        <p className="quiet text-sm mb-1">A plan meets them all, or says which cannot hold together. Under “orders first” it meets what can be met.</p>
        <table className="w-full text-note">
          <thead><tr className="border-b border-base-content"><th>customer</th><th className="text-right pr-4">wants</th><th>standard</th><th>of</th><th>ready by</th><th className="text-right pr-4">pays for each</th><th className="text-right pr-4">in this plan</th><td /></tr></thead>
          <tbody>
            {data.sales_orders.map((order) => {
              const have = met.get(`order-${order.id}`)?.tags.length
              return (
                <tr key={order.id} className="rule-b">
                  <td className="py-2 pr-3 font-semibold">{order.customer}</td>
                  <td className="py-2 text-right pr-4">{order.count}</td>
                  <td className="py-2 pr-3">{order.standard_name}</td>
                  <td className="py-2 pr-3">{order.sheets.map((key) => names.get(key) ?? key).join(', ') || 'any model'}</td>
                  <td className="py-2 pr-3">{order.due_on ? day(order.due_on) : 'the due day'}</td>
                  <td className="py-2 text-right pr-4 cents">{order.price_cents === null ? <span className="quiet">its price</span> : money(order.price_cents, currency)}</td>
                  <td className={`py-2 text-right pr-4 font-semibold ${have !== undefined && have < order.count ? 'fitink' : ''}`}>{have ?? '–'}</td>
                  <td className="py-2 text-right"><button type="button" className="btn btn-sm btn-ghost" onClick={() => void drop(order.id)}>Take off</button></td>
                </tr>
              )
            })}
            {data.sales_orders.length === 0 && <tr><td colSpan={8} className="py-3 quiet">No order yet.</td></tr>}
          </tbody>
        </table>
        <BegunForm place={`order.${slug}`} className="flex flex-wrap items-end gap-2 mt-3" onSend={add}>
          <label className="text-sm quiet">Customer<input name="customer" required maxLength={80} className="input h-11 w-40 bg-base-100 flex" /></label>
          <label className="text-sm quiet">Units<input name="count" type="number" min={1} required defaultValue={5} className="input h-11 w-20 bg-base-100 flex" /></label>
          <label className="text-sm quiet">Standard<select name="standard" className="select h-11 w-36 bg-base-100 flex">{data.standards.map((standard) => <option key={standard.key} value={standard.key}>{standard.name}</option>)}</select></label>
          <label className="text-sm quiet">Model<select name="model" className="select h-11 w-40 bg-base-100 flex"><option value="">any model</option>{data.models.map((model) => <option key={model.key} value={model.key}>{model.name}</option>)}</select></label>
          <label className="text-sm quiet">Pays for each, {currency}<input name="price" type="number" min={0} max={1000000} step="0.01" placeholder="as priced" className="input h-11 w-32 bg-base-100 flex" /></label>
          <DayField label="Ready by" name="due_on" begins="" className="input h-11 w-38 bg-base-100" />
          <button type="submit" className="btn btn-primary btn-bench">Add the order</button>
        </BegunForm>
      </section>
      <section>
        <h2>Pins</h2>
        {pinned.length === 0 ? <p className="quiet">No unit is pinned. Open a row of the balance and press Pin beside the way you decide for.</p> : (
          <table className="w-full text-note">
            <tbody>
              {pinned.map((pin) => (
                <tr key={pin.tag} className="rule-b">
                  <td className="py-1.5 pr-4 tag">{pin.tag}</td>
                  <td className="py-1.5 pr-4">{pin.outcome && headingOf('OutcomeKind', pin.outcome)} {standards.get(pin.standard) ?? ''}</td>
                  <td className="py-1.5 pr-4 quiet">by {pin.by}{pin.note && ` · ${pin.note}`}</td>
                  <td className="py-1.5 text-right"><button type="button" className="btn btn-sm btn-ghost" onClick={() => void unpin(pin.tag)}>Take off</button></td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
      </section>
      {data.woken.length > 0 && (
        <section>
          <h2>Held units whose part has come</h2>
          <p className="text-note">{count(data.woken.length, 'unit')} can be planned again: {data.woken.map((one) => `${one.tag} (${one.parts.join(', ')})`).join(', ')}.</p>
        </section>
      )}
      {plan && plan.changes.length > 0 && (
        <section>
          <h2>Work orders that this plan changes</h2>
          <ul>{plan.changes.map((change) => <li key={change.tag} className="rule-b py-1.5"><span className="tag mr-2">{change.tag}</span>{change.before} becomes <b>{change.after}</b>. <span className="quiet">{change.reason}</span></li>)}</ul>
        </section>
      )}
    </div>
  )
}
