import { useState } from 'react'
import { type Schemas, api, ask } from '../api/client'
import { day, money, sees, workshop } from '../frame/words'
import type { Change } from './change'
import { Money, OrderBy, PurchaseState } from '../api/vocabulary'
import { labelOf } from '../frame/vocabulary'

/** What approved plans buy: first to be ordered, then on its way, then booked in. */
export function Purchases({ stock, change }: { stock: Schemas['StockView']; change: Change }) {
  const [place, setPlace] = useState(workshop().arrivals_place)
  const [reference, setReference] = useState('')
  const planned = stock.purchases.filter((purchase) => purchase.state === PurchaseState.PLANNED)
  const coming = stock.purchases.filter((purchase) => purchase.state === PurchaseState.ORDERED || purchase.state === PurchaseState.PLANNED)
  const order = (how: OrderBy): void => {
    void change(ask(api.POST('/api/stock/purchases/order', { body: { ids: planned.map((purchase) => purchase.id), how, reference } })), 'Noted as ordered by hand.')
  }
  const arrived = (purchase: number, form: HTMLFormElement): void => {
    const came = Number(new FormData(form).get('came'))
    void change(ask(api.POST('/api/stock/purchases/{purchase}/arrived', { params: { path: { purchase } }, body: { place, count: came } })), `${came} × ${coming.find((one) => one.id === purchase)?.label} booked in.`)
  }
  return (
    <section>
      <h2 className="flex items-baseline mb-1"><span className="grow">Bought</span>{stock.supplier && <button type="button" className="font-normal quiet underline text-sm" onClick={() => void change(ask(api.POST('/api/stock/quotes')))}>fetch the quotes anew</button>}</h2>
      {planned.length > 0 && (
        <div className="bg-base-100 border-l-4 border-accent px-3 py-2 mb-2">
          <p>{planned.length === 1 ? 'One purchase waits' : `${planned.length} purchases wait`} to be ordered{sees(Money.COSTS) && `, ${money(planned.reduce((sum, purchase) => sum + purchase.count * purchase.price_cents, 0))}`}.</p>
          <div className="flex flex-wrap gap-2 mt-2 items-center">
            {stock.supplier && <button type="button" className="btn btn-primary btn-bench" onClick={() => order(OrderBy.SUPPLIER)}>Send to {planned[0]?.supplier}</button>}
            {stock.supplier && <p className="text-sm quiet">What is sent has left the house and is not taken back here.</p>}
            <form className="flex gap-2 w-full" onSubmit={(event) => { event.preventDefault(); order(OrderBy.HAND) }}>
              <input className="input h-11 grow w-32 bg-base-100" placeholder="order number" aria-label="Order number" value={reference} onChange={(event) => setReference(event.target.value)} />
              <button type="submit" className="btn btn-outline btn-bench">Ordered by hand</button>
            </form>
          </div>
        </div>
      )}
      {coming.length === 0 ? <p className="quiet">Nothing is on order.</p> : (
        <>
          <label className="text-sm quiet">Put arrivals at<input className="input h-11 w-full bg-base-100 mb-2" value={place} onChange={(event) => setPlace(event.target.value)} /></label>
          <ul>
            {coming.map((purchase) => (
              <li key={purchase.id} className="rule-t py-2">
                <form className="flex flex-wrap items-center justify-end gap-2" onSubmit={(event) => { event.preventDefault(); arrived(purchase.id, event.currentTarget) }}>
                  <span className="basis-full leading-tight">{purchase.count} × {purchase.label}<span className="block text-sm quiet">{purchase.supplier}{purchase.reference && ` ${purchase.reference}`}, {labelOf('PurchaseState', purchase.state)}, {purchase.state === PurchaseState.ORDERED ? 'due' : 'about'} {day(purchase.due)}, for {purchase.batch}</span></span>
                  <input name="came" type="number" aria-label={`How many ${purchase.label} came`} min={purchase.state === PurchaseState.PLANNED ? 0 : 1} max={purchase.state === PurchaseState.PLANNED ? undefined : purchase.count} defaultValue={purchase.count} className={`input h-11 w-16 bg-base-100 ${purchase.count === 1 && purchase.state !== PurchaseState.PLANNED ? 'hidden' : ''}`} />
                  {purchase.state === PurchaseState.PLANNED && (
                    <button type="button" className="underline quiet text-sm grow text-left" onClick={(event) => {
                      const field = event.currentTarget.form?.elements.namedItem('came') as HTMLInputElement | null
                      void change(ask(api.PUT('/api/stock/purchases/{purchase}', { params: { path: { purchase: purchase.id } }, body: { count: Number(field?.value ?? 0) } })))
                    }}>buy so many</button>
                  )}
                  <button type="submit" className="btn btn-outline btn-bench">Arrived</button>
                </form>
              </li>
            ))}
          </ul>
        </>
      )}
    </section>
  )
}
