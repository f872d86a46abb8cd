import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { Link, useSearchParams } from 'react-router'
import { type Schemas, api, ask } from '../api/client'
import { CopyCsv } from '../frame/CopyCsv'
import { ProblemNote } from '../frame/Problem'
import { addressWith, useFilter } from '../frame/filter'
import { count, money, sees } from '../frame/words'
import { Money } from '../api/vocabulary'
import { OneLot } from './OneLot'
import { Purchases } from './Purchases'
import { Receive } from './Receive'
import { Waiting } from './Waiting'
import { type Change, doneInStore } from './change'
import { Movement } from './Movement'
import { labelOf } from '../frame/vocabulary'

export type StockView = Schemas['StockView']

/** Stock: what lies where, what is promised, what is on its way, what moved. */
export function Stock() {
  const queries = useQueryClient()
  const stock = useQuery({ queryKey: ['stock'], queryFn: () => ask(api.GET('/api/stock')) })
  const [filter, setFilter] = useFilter()
  const [search, setSearch] = useSearchParams()
  const open = Number(search.get('lot'))
  const receiving = search.has('receive')
  const below = search.has('below')
  const put = (name: string, value: string): void => setSearch(addressWith(name, value), { replace: true })
  const [error, setError] = useState<unknown>(null)
  const refresh = async (): Promise<void> => {
    await queries.invalidateQueries({ queryKey: ['stock'] })
    void queries.invalidateQueries({ queryKey: ['work'] })
    void queries.invalidateQueries({ queryKey: ['plan'] })
  }
  const change: Change = async (call, words) => {
    try {
      const done = await call
      setError(null)
      await refresh()
      if (words) doneInStore(words, done, () => void refresh())
      return true
    } catch (refusal) {
      setError(refusal)
      return false
    }
  }
  const low = filter.toLowerCase()
  /** The label of this lot was scanned, or a screen led here. */
  const named = (lot: Schemas['LotView']): boolean => lot.code.toLowerCase() === low
  const scanned = (stock.data?.kinds ?? []).some((kind) => kind.lots.some(named))
  const kinds = (stock.data?.kinds ?? [])
    .filter((kind) => !below || kind.short > 0)
    .filter((kind) => (scanned ? kind.lots.some(named) : [kind.label, ...kind.lots.map((lot) => lot.place)].join(' ').toLowerCase().includes(low)))
    .sort((one, other) => Number(stocked(other)) - Number(stocked(one)) || ORDER.indexOf(one.type) - ORDER.indexOf(other.type) || one.label.localeCompare(other.label))
  const costs = sees(Money.COSTS)
  return (
    <div className="page grid grid-cols-[minmax(0,1fr)_360px] gap-8 max-lg:grid-cols-1">
      <section>
        <div className="flex items-center gap-4 mb-2">
          <h1 className="grow">Stock</h1>
          <CopyCsv headings={['part', 'kind', 'condition', 'place', 'on hand', 'promised', ...(costs ? ['unit cost'] : [])]} rows={kinds.flatMap((kind) => kind.lots.map((lot) => [kind.label, kind.key, lot.condition, lot.place, String(lot.on_hand), String(lot.promised), ...(costs ? [(lot.unit_cost_cents / 100).toFixed(2)] : [])]))} />
          <input className="input input-sm w-52 bg-base-100" placeholder="Filter parts and places" aria-label="Filter parts and places" value={filter} onChange={(event) => setFilter(event.target.value)} />
          {(below || (stock.data?.kinds ?? []).some((kind) => kind.short > 0)) && <button type="button" aria-pressed={below} className={below ? 'font-bold underline underline-offset-4' : 'fitink hover:underline'} onClick={() => put('below', below ? '' : 'least')}>{count(stock.data?.kinds.filter((kind) => kind.short > 0).length ?? 0, 'kind')} below the least</button>}
          <Link className="btn btn-outline btn-bench" to="/stock/round">Count</Link>
          <button type="button" className="btn btn-outline btn-bench" aria-expanded={receiving} onClick={() => put('receive', receiving ? '' : 'parts')}>Receive parts</button>
        </div>
        <ProblemNote error={stock.error ?? error} />
        {receiving && stock.data && <Receive kinds={stock.data.kinds} change={change} onDone={() => put('receive', '')} />}
        <div className="overflow-x-auto"><table className="w-full text-note">
          <thead><tr className="border-b border-base-content"><th>part</th><th>free | promised</th><th className="text-right pr-6">free</th><th>lies at</th><th className="text-right">offer</th></tr></thead>
          <tbody>
            {kinds.map((kind) => (
              <tr key={kind.key} className="rule-b align-top">
                <td className="py-2 pr-4 font-semibold">{kind.label}</td>
                <td className="py-2 pr-4"><Counted kind={kind} /></td>
                <td className="py-2 text-right pr-6 whitespace-nowrap"><b>{kind.free}</b>{kind.least > 0 && <span className={`block text-sm ${kind.short ? 'fitink font-semibold' : 'quiet'}`}>{kind.short ? `${kind.short} short of ${kind.least}` : `least ${kind.least}`}</span>}</td>
                <td className="py-2 pr-4">
                  {kind.lots.map((lot) => (
                    <div key={lot.id}>
                      <button type="button" className="text-left hover:underline" aria-expanded={open === lot.id} onClick={() => put('lot', open === lot.id ? '' : String(lot.id))}>{lot.place}: {lot.on_hand} <span className="quiet">{labelOf('Condition', lot.condition)}{costs && `, ${money(lot.unit_cost_cents)}`}</span></button>
                      {open === lot.id && <OneLot lot={lot} change={change} />}
                    </div>
                  ))}
                  {kind.lots.length === 0 && <span className="quiet">none</span>}
                </td>
                <td className="py-2 text-right whitespace-nowrap cents">
                  {kind.offers.filter((offer) => offer.limit > 0).map((offer) => (
                    <p key={offer.supplier + offer.article}>
                      {costs && money(offer.price_cents)} <span className="quiet">{offer.limit} in {offer.days} days</span>
                      {offer.pack_size > 1 && <span className="block text-sm quiet">in packs of {offer.pack_size}</span>}
                      {costs && offer.breaks.map((step) => <span key={step.from_count} className="block text-sm quiet">{money(step.price_cents)} from {step.from_count}</span>)}
                    </p>
                  ))}
                </td>
              </tr>
            ))}
            {stock.data && kinds.length === 0 && <tr><td colSpan={5} className="py-4 quiet">No part matches the filter.</td></tr>}
          </tbody>
        </table></div>
      </section>
      <aside aria-label="What waits and what is bought">
        {stock.data && <Waiting lots={stock.data.waiting} named={named} change={change} />}
        {stock.data && <Purchases stock={stock.data} change={change} />}
        <h2 className="mt-6 mb-2">Newest movements</h2>
        <ul className="text-sm">
          {stock.data?.movements.slice(0, 14).map((movement, index) => <Movement key={index} movement={movement} />)}
        </ul>
      </aside>
    </div>
  )
}

const ORDER = ['module', 'drive', 'pack', 'bracket', 'part']
const stocked = (kind: Schemas['KindView']): boolean => kind.lots.length > 0 || kind.offers.some((offer) => offer.limit > 0)
const MOST_DRAWN = 16

/** Every part as a tick, up to a row of them. */
function Counted({ kind }: { kind: Schemas['KindView'] }) {
  const total = kind.lots.reduce((sum, lot) => sum + lot.on_hand, 0)
  const drawn = Math.min(total, MOST_DRAWN)
  const free = Math.round((kind.free / Math.max(1, total)) * drawn)
  return (
    <svg width={MOST_DRAWN * 7} height="18" role="img" aria-label={`${count(kind.free, 'free part')}, ${total - kind.free} promised or waiting`}>
      {Array.from({ length: drawn }, (_, index) =>
        index < free ? <rect key={index} x={index * 7} y="1" width="4.5" height="16" fill="var(--ink)" /> : <rect key={index} x={index * 7 + 0.8} y="1.8" width="3.2" height="14.4" fill="none" stroke="var(--fit)" strokeWidth="1.6" />,
      )}
    </svg>
  )
}
