import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { type Schemas, api, ask } from '../api/client'
import { ProblemNote } from '../frame/Problem'
import { useFilter } from '../frame/filter'
import { clock, count, day, money } from '../frame/words'

/** Stock: what lies where, what is promised, what is on its way, what moved. */
export function Stock() {
  const queries = useQueryClient()
  const stock = useQuery({ queryKey: ['stock'], queryFn: () => ask(api.GET('/api/stock')) })
  const [filter, setFilter] = useFilter()
  const [place, setPlace] = useState('shelf A-1')
  const [error, setError] = useState<unknown>(null)
  const arrived = async (purchase: number): Promise<void> => {
    try {
      queries.setQueryData(['stock'], await ask(api.POST('/api/stock/purchases/{purchase}/arrived', { params: { path: { purchase } }, body: { place } })))
      void queries.invalidateQueries({ queryKey: ['work'] })
    } catch (refusal) {
      setError(refusal)
    }
  }
  const kinds = (stock.data?.kinds ?? [])
    .filter((kind) => kind.label.toLowerCase().includes(filter.toLowerCase()))
    .sort((one, other) => ORDER.indexOf(one.type) - ORDER.indexOf(other.type) || one.label.localeCompare(other.label))
  const coming = stock.data?.purchases.filter((purchase) => !purchase.arrived) ?? []
  return (
    <div className="page grid grid-cols-[minmax(0,1fr)_340px] gap-8 max-lg:grid-cols-1">
      <section>
        <div className="flex items-center gap-4 mb-2">
          <h1 className="grow">Stock</h1>
          <input className="input input-sm w-60 bg-base-100" placeholder="Filter parts" aria-label="Filter parts" value={filter} onChange={(event) => setFilter(event.target.value)} />
        </div>
        <ProblemNote error={stock.error ?? error} />
        <table className="w-full text-[0.9375rem]">
          <thead><tr className="border-b border-base-content"><th>part</th><th>free, and promised in outline</th><th className="text-right pr-6">free</th><th>lies at</th><th className="text-right">offer</th></tr></thead>
          <tbody>
            {kinds.map((kind) => (
              <tr key={kind.key} className="rule-b align-top">
                <td className="py-2 pr-4 font-semibold">{kind.label}</td>
                <td className="py-2 pr-4"><Counted kind={kind} /></td>
                <td className="py-2 text-right pr-6 font-bold">{kind.free}</td>
                <td className="py-2 pr-4">
                  {kind.lots.map((lot) => <p key={lot.id}>{lot.on_hand} at {lot.place} <span className="quiet">{lot.condition}, {money(lot.unit_cost_cents)}</span></p>)}
                  {kind.lots.length === 0 && <span className="quiet">none</span>}
                </td>
                <td className="py-2 text-right whitespace-nowrap">
                  {kind.offers.map((offer) => <p key={offer.supplier + offer.price_cents}>{money(offer.price_cents)} <span className="quiet">{offer.limit} in {offer.days} days</span></p>)}
                </td>
              </tr>
            ))}
            {stock.data && kinds.length === 0 && <tr><td colSpan={5} className="py-4 quiet">No part matches the filter.</td></tr>}
          </tbody>
        </table>
      </section>
      <aside>
        <h2 className="mb-2">On its way</h2>
        {coming.length === 0 ? <p className="quiet">Nothing is on order.</p> : (
          <>
            <label className="text-sm quiet">Put arrivals at<input className="input input-bordered h-11 w-full mb-2" value={place} onChange={(event) => setPlace(event.target.value)} /></label>
            <ul>
              {coming.map((purchase) => (
                <li key={purchase.id} className="rule-t py-2 flex items-center gap-3">
                  <span className="grow leading-tight">{purchase.count} × {purchase.label}<span className="block text-sm quiet">{purchase.supplier}, due {day(purchase.due)}, for {purchase.batch}</span></span>
                  <button className="btn btn-outline btn-bench" onClick={() => void arrived(purchase.id)}>Arrived</button>
                </li>
              ))}
            </ul>
          </>
        )}
        <h2 className="mt-6 mb-2">Newest movements</h2>
        <ul className="text-sm">
          {stock.data?.movements.slice(0, 14).map((movement, index) => (
            <li key={index} className="rule-t py-1.5">
              <b className="inline-block w-8">{movement.change > 0 ? '+' : ''}{movement.change}</b>{movement.label}
              <span className="block quiet pl-8">{movement.reason}, {movement.by}, {clock(movement.at)}</span>
            </li>
          ))}
        </ul>
      </aside>
    </div>
  )
}

const ORDER = ['module', 'drive', 'pack', 'part']
const MOST_DRAWN = 16

/** Every part as a tick, up to a row of them. */
function Counted({ kind }: { kind: Schemas['KindView'] }) {
  const total = kind.lots.reduce((sum, lot) => sum + lot.on_hand, 0)
  const drawn = Math.min(total, MOST_DRAWN)
  const free = Math.round((kind.free / Math.max(1, total)) * drawn)
  return (
    <svg width={MOST_DRAWN * 7} height="18" role="img" aria-label={`${count(kind.free, 'free part')}, ${total - kind.free} promised`}>
      {Array.from({ length: drawn }, (_, index) =>
        index < free ? <rect key={index} x={index * 7} y="1" width="4.5" height="16" fill="var(--ink)" /> : <rect key={index} x={index * 7 + 0.8} y="1.8" width="3.2" height="14.4" fill="none" stroke="var(--fit)" strokeWidth="1.6" />,
      )}
    </svg>
  )
}
