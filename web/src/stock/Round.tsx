import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useRef, useState } from 'react'
import { Link, useSearchParams } from 'react-router'
import { type Schemas, api, ask } from '../api/client'
import { ProblemNote } from '../frame/Problem'
import { useScan } from '../frame/ScanListener'
import { isFields, useBegun } from '../frame/begun'
import { addressWith } from '../frame/filter'
import { useKeys } from '../frame/keys'
import { labelOf } from '../frame/vocabulary'
import { count, figure } from '../frame/words'
import { doneInStore } from './change'

type Lot = Schemas['RoundLot']
/** Lot -> what is typed for it, and where its movements stood when it was first counted. */
type Counted = Record<string, { text: string; last: number }>

const isCounted = (kept: unknown): kept is Counted =>
  isFields(kept) && Object.values(kept).every((one) => isFields(one) && typeof one.text === 'string' && typeof one.last === 'number')

/** A counting round: lot by lot, by scanner or by keys, without a look at the books. */
export function Round() {
  const queries = useQueryClient()
  const [search, setSearch] = useSearchParams()
  const place = search.get('place') ?? ''
  const round = useQuery({ queryKey: ['round', place], queryFn: () => ask(api.GET('/api/stock/round', { params: { query: { place } } })), refetchOnWindowFocus: false })
  const [counted, setCounted] = useBegun<Counted>('round', {}, isCounted)
  const [said, setSaid] = useState('')
  const [error, setError] = useState<unknown>(null)
  const [kept, setKept] = useState<Schemas['RoundKept'] | null>(null)
  const list = useRef<HTMLUListElement>(null)
  const lots = round.data?.lots ?? []
  const go = (to: string): void => setSearch(addressWith('place', to), { replace: true })
  const write = (lot: Lot, text: string): void => setCounted((now) => {
    const { [lot.code]: was, ...others } = now
    return text === '' ? others : { ...others, [lot.code]: { text, last: was?.last ?? lot.last } }
  })
  const more = (lot: Lot): void => setCounted((now) => {
    const was = now[lot.code]
    return { ...now, [lot.code]: { text: String(Number(was?.text ?? 0) + 1), last: was?.last ?? lot.last } }
  })
  useScan((codes) => {
    const lot = lots.find((one) => codes.includes(one.code))
    if (lot) {
      more(lot)
      setSaid(`${lot.code}: one more ${lot.label}.`)
      list.current?.querySelector(`[data-lot="${lot.lot}"]`)?.scrollIntoView({ block: 'nearest' })
      return true
    }
    const other = round.data?.places.find((one) => codes.includes(one))
    if (other) go(other)
    else setSaid(`${codes[0] ?? ''} is no lot ${place ? `of ${place}` : 'that holds anything'}. Lay it aside and look it up under Stock.`)
    return true
  })
  const filled = lots.filter((lot) => counted[lot.code])
  const keep = async (): Promise<void> => {
    try {
      const told = await ask(api.POST('/api/stock/round', { body: { lots: filled.map((lot) => ({ lot: lot.lot, counted: Number(counted[lot.code]?.text), last: counted[lot.code]?.last ?? lot.last })) } }))
      setError(null)
      setKept(told)
      setCounted((now) => Object.fromEntries(Object.entries(now).filter(([code]) => !filled.some((lot) => lot.code === code))))
      const refresh = (): void => { void queries.invalidateQueries() }
      refresh()
      doneInStore(`${count(told.differences.length, 'lot')} set right after a count.`, told, refresh)
    } catch (refusal) {
      setError(refusal)
      // What moved meanwhile is counted from nothing again; the others stay as they were counted.
      const last = new Map((await round.refetch()).data?.lots.map((lot) => [lot.code, lot.last]))
      setCounted((now) => Object.fromEntries(Object.entries(now).filter(([code, one]) => (last.get(code) ?? one.last) === one.last)))
    }
  }
  useKeys('Counting round', [{ key: 'k', does: 'keep what was counted', act: () => void keep(), off: filled.length ? '' : 'no lot is counted yet' }])
  return (
    <div className="page max-w-4xl w-full">
      <header className="flex flex-wrap items-end gap-x-4 gap-y-2 mb-2">
        <h1 className="grow">Counting round</h1>
        <label>Place
          <select className="select h-11 w-56 bg-base-100 flex" value={place} onChange={(event) => go(event.target.value)}>
            <option value="">all places</option>
            {round.data?.places.map((one) => <option key={one}>{one}</option>)}
          </select>
        </label>
        <button type="button" className="btn btn-primary btn-bench" disabled={!filled.length} onClick={() => void keep()}>Keep the count <kbd>K</kbd></button>
      </header>
      <p className="quiet mb-2">Each scan of a lot’s label counts one more of it; or type how many there are. What is not counted stays as it is: type 0 where nothing is left. {count(filled.length, 'lot')} of {figure(lots.length)} counted.</p>
      <p role="status" className="min-h-6 font-semibold">{said}</p>
      <ProblemNote error={round.error ?? error} />
      {kept && <Kept kept={kept} />}
      <ul ref={list} className="text-base" aria-label="Lots to count">
        {lots.map((lot) => (
          <li key={lot.lot} data-lot={lot.lot} className={`rule-b flex items-center gap-4 min-h-12 ${counted[lot.code] ? 'current-row pl-3' : ''}`}>
            <span className="tag w-20 shrink-0">{lot.code}</span>
            <span className="grow min-w-0"><b>{lot.label}</b> <span className="quiet">{labelOf('Condition', lot.condition)}{!place && `, ${lot.place}`}</span></span>
            <input type="number" min={0} max={100000} inputMode="numeric" className="input w-24 h-11 text-right text-lg bg-base-100" aria-label={`Counted of ${lot.code}`} value={counted[lot.code]?.text ?? ''} onChange={(event) => write(lot, event.target.value.replace(/\D/g, ''))} />
            <button type="button" className="btn btn-outline btn-bench px-3" aria-label={`One more of ${lot.code}`} onClick={() => more(lot)}>+1</button>
          </li>
        ))}
      </ul>
      {round.data && lots.length === 0 && <p>Nothing lies {place ? `at ${place}` : 'in the store'}. <Link className="underline" to="/stock">Book parts in under Stock.</Link></p>}
    </div>
  )
}

function Kept({ kept }: { kept: Schemas['RoundKept'] }) {
  return (
    <section className="border-l-4 border-success bg-base-100 px-4 py-3 mb-3" aria-label="What was set right">
      <p className="font-semibold">{kept.differences.length ? `${count(kept.differences.length, 'lot')} set right, ${figure(kept.right)} were right.` : `The books were right: ${count(kept.right, 'lot')}.`}</p>
      <ul>{kept.differences.map((one) => <li key={one.lot}><span className="tag">{one.code}</span> {one.label}, {one.place}: <span className="quiet">{figure(one.books)} in the books</span> → <b className="fitink">{figure(one.counted)} counted</b></li>)}</ul>
    </section>
  )
}
