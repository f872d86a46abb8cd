import { CopyCsv } from '../frame/CopyCsv'
import { count, money, workshop } from '../frame/words'
import type { Plan } from './useBalance'
import { PlanState } from '../api/vocabulary'

/** What the plan buys, and what it takes out of donors and displaced parts. */
export function Buying({ slug, plan }: { slug: string; plan: Plan }) {
  const currency = plan.figures?.currency ?? workshop().currency
  const file = (kind: string): string => `/api/batches/${slug}/plan/${plan.number}/buying.${kind}`
  const byGiver = new Map<string, Plan['harvest']>()
  for (const line of plan.harvest) byGiver.set(line.giver, [...(byGiver.get(line.giver) ?? []), line])
  return (
    <div className="grid gap-6">
      <section>
        <div className="flex items-baseline gap-4">
          <h2 className="grow">To buy, {money(plan.figures?.spend_cents ?? 0, currency)}</h2>
          {plan.number > 0 && plan.buying.length > 0 && <><a className="quiet underline text-sm" href={file('csv')}>CSV</a><a className="quiet underline text-sm" href={file('xlsx')}>XLSX</a></>}
        </div>
        <table className="w-full text-note">
          <thead><tr className="border-b border-base-content"><th>part</th><th>from</th><th className="text-right">count</th><th className="text-right pl-3">each</th><th className="text-right pl-3">total</th><th className="text-right pl-3">days</th><th className="pl-4">for</th></tr></thead>
          <tbody>
            {plan.buying.map((line) => (
              <tr key={line.offer} className="rule-b align-top">
                <td className="py-2 pr-3 font-semibold">{line.label}</td>
                <td className="py-2 pr-3">{line.supplier}</td>
                <td className="py-2 text-right">{line.count}{line.count > line.used && <span className="block text-sm quiet">{line.count - line.used} left over{line.pack_size > 1 && `, packs of ${line.pack_size}`}</span>}</td>
                <td className="py-2 text-right pl-3 cents">{money(line.price_cents, currency)}</td>
                <td className="py-2 text-right pl-3 cents">{money(line.price_cents * line.count, currency)}</td>
                <td className="py-2 text-right pl-3">{line.days}</td>
                <td className="py-2 pl-4 text-sm"><span className="tag">{line.tags.slice(0, 4).join(' ')}</span>{line.tags.length > 4 && ` and ${line.tags.length - 4} more`}</td>
              </tr>
            ))}
            {plan.buying.length === 0 && <tr><td colSpan={7} className="py-3 quiet">This plan buys nothing.</td></tr>}
          </tbody>
        </table>
        {plan.state !== PlanState.APPROVED && plan.buying.length > 0 && <p className="quiet text-sm mt-1">Nothing is ordered before the plan is approved; then the purchases wait under Stock to be sent to the supplier.</p>}
      </section>
      <section>
        <div className="flex items-baseline gap-4"><h2 className="grow">To harvest, {count(plan.harvest.length, 'part')}</h2>{plan.harvest.length > 0 && <CopyCsv headings={['out of', 'part', 'into']} rows={plan.harvest.map((line) => [line.giver, line.label, line.taker])} />}</div>
        {plan.harvest.length === 0 ? <p className="quiet">No part moves from one unit to another.</p> : (
          <ul>
            {[...byGiver].map(([giver, lines]) => (
              <li key={giver} className="rule-b py-1.5 text-note"><span className="tag mr-3">{giver}</span>{lines.map((line, n) => <span key={n} className="mr-3">{line.label} <span className="quiet">into</span> <span className="tag text-sm">{line.taker}</span></span>)}</li>
            ))}
          </ul>
        )}
      </section>
    </div>
  )
}
