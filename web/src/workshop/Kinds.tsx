import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { type Schemas, api, ask, lostOf } from '../api/client'
import { ProblemNote } from '../frame/Problem'
import { useFilter } from '../frame/filter'
import { labelOf } from '../frame/vocabulary'
import { count, currencySign, money, sees } from '../frame/words'
import { Money } from '../api/vocabulary'
import { FirstStock } from './FirstStock'
import { KindForm } from './KindForm'

const kindsQuery = { queryKey: ['kinds'], queryFn: () => ask(api.GET('/api/furnish/kinds')) }

/** Part kinds with their facts, what suppliers offer, and the first stock. */
export function Kinds() {
  const query = useQuery(kindsQuery)
  const queries = useQueryClient()
  const [filter, setFilter] = useFilter()
  const [open, setOpen] = useState<string | null>(null)
  const [listing, setListing] = useState(false)
  const [error, setError] = useState<unknown>(null)
  if (lostOf(query)) return <ProblemNote error={query.error} />
  const view = query.data
  if (!view) return null
  const low = filter.toLowerCase()
  const kinds = view.kinds
    .filter((kind) => `${kind.label} ${kind.key}`.toLowerCase().includes(low))
    // What is told apart by facts stands first; parts that sheets name follow.
    .sort((one, other) => Number(Object.keys(other.facts).length > 1) - Number(Object.keys(one.facts).length > 1) || one.label.localeCompare(other.label))
  const change = async (call: () => Promise<unknown>): Promise<boolean> => {
    try {
      await call()
      await queries.invalidateQueries({ queryKey: ['kinds'] })
      void queries.invalidateQueries({ queryKey: ['stock'] })
      setError(null)
      return true
    } catch (refusal) {
      // What stands now is drawn; what was typed stays in its form.
      await queries.invalidateQueries({ queryKey: ['kinds'] })
      setError(refusal)
      return false
    }
  }
  const costs = sees(Money.COSTS)
  return (
    <div>
      <div className="flex flex-wrap items-center gap-4 mb-2">
        <h1 className="grow">Parts and offers <span className="quiet text-base font-normal">{count(view.kinds.length, 'kind')}, {count(view.offers.length, 'offer')}</span></h1>
        <input type="search" className="input h-11 w-56 bg-base-100" placeholder="Filter parts" aria-label="Filter parts" value={filter} onChange={(event) => setFilter(event.target.value)} />
        <button type="button" className="btn btn-outline btn-bench" aria-expanded={listing} onClick={() => setListing(!listing)}>Book a stock list in</button>
        <button type="button" className="btn btn-outline btn-bench" onClick={() => setOpen(open === '' ? null : '')}>A new part kind</button>
      </div>
      <ProblemNote error={error} />
      {listing && <FirstStock kinds={view.kinds} onDone={() => { setListing(false); void change(async () => undefined) }} />}
      {view.kinds.length === 0 && <p className="mb-3">There is no part kind yet. A part kind says what decides whether a part fits: a module’s size and generation, a drive’s connector, a pack’s family.</p>}
      {open === '' && <KindForm kinds={view.kinds} onKeep={(document) => change(() => ask(api.PUT('/api/furnish/kinds', { body: { document, before: null } })))} onLeave={() => setOpen(null)} />}
      <div className="overflow-x-auto"><table className="w-full">
        <thead><tr className="border-b border-base-content"><th>part</th><th>what decides whether it fits</th><th>goes with</th>{costs && <th className="text-right">harvested, charged at</th>}<th className="pl-6">offers</th></tr></thead>
        <tbody>
          {kinds.map((kind) => {
            const offers = view.offers.filter((offer) => offer.kind === kind.key)
            return (
              <tr key={kind.key} className="rule-b align-top">
                <td className="py-2 pr-4"><button type="button" className="font-semibold text-left hover:underline" aria-expanded={open === kind.key} onClick={() => setOpen(open === kind.key ? null : kind.key)}>{kind.label}</button><span className="block quiet text-sm font-mono">{kind.key}</span>
                  {open === kind.key && <KindForm kind={kind} kinds={view.kinds} onKeep={(document) => change(() => ask(api.PUT('/api/furnish/kinds', { body: { document, before: kind } })))} onLeave={() => setOpen(null)} />}
                </td>
                <td className="py-2 pr-4 text-note">{factsOf(kind)}{(kind.instead_of ?? []).length > 0 && <span className="block">in place of {kind.instead_of?.map((key) => view.kinds.find((one) => one.key === key)?.label ?? key).join(', ')}</span>}</td>
                <td className="py-2 pr-4 text-note quiet">{kind.stream ? labelOf('Stream', kind.stream) : ''}</td>
                {costs && <td className="py-2 text-right cents">{money(kind.harvest_value_cents ?? 0)}</td>}
                <td className="py-2 pl-6">
                  {offers.map((offer) => <Offer key={offer.id} offer={offer} onKeep={(next) => change(() => ask(api.PUT('/api/furnish/offers', { body: { offer: next, before: offer } })))} onDrop={() => void change(() => ask(api.DELETE('/api/furnish/offers/{offer}', { params: { path: { offer: offer.id ?? 0 } } })))} />)}
                  <Offer offer={{ id: null, kind: kind.key, supplier: '', article: '', price_cents: 0, limit: 100, days: 3, pack_size: 1, breaks: [] }} onKeep={(next) => change(() => ask(api.PUT('/api/furnish/offers', { body: { offer: next, before: null } })))} />
                </td>
              </tr>
            )
          })}
        </tbody>
      </table></div>
    </div>
  )
}

const factsOf = (kind: Schemas['PartKind']): string =>
  Object.entries(kind.facts)
    .filter(([name, value]) => name !== 'type' && value !== null && value !== '' && value !== false)
    .map(([name, value]) => (value === true ? name.replaceAll('_', ' ') : `${name.replaceAll('_', ' ')} ${value}`))
    .join(', ')

/** One offer of a supplier, or the line to add one. */
function Offer({ offer, onKeep, onDrop }: { offer: Schemas['OfferLine']; onKeep: (next: Schemas['OfferLine']) => Promise<boolean>; onDrop?: () => void }) {
  const [open, setOpen] = useState(false)
  const costs = sees(Money.COSTS)
  if (!open) {
    return offer.id === null
      ? <button type="button" className="underline quiet text-note" onClick={() => setOpen(true)}>add an offer</button>
      : <p className="text-note"><button type="button" className="hover:underline text-left" onClick={() => setOpen(true)}>{offer.supplier}{costs && <>, <b>{money(offer.price_cents)}</b></>}{(offer.pack_size ?? 1) > 1 && `, in packs of ${offer.pack_size}`}, {count(offer.days, 'day')}, {offer.limit} to be had{costs && (offer.breaks ?? []).map((step) => `; from ${step.from_count} ${money(step.price_cents)}`).join('')}</button></p>
  }
  const keep = async (form: HTMLFormElement): Promise<void> => {
    const given = new FormData(form)
    const figure = (name: string): number => Number(given.get(name) ?? 0)
    const from = figure('from')
    const done = await onKeep({
      ...offer,
      supplier: String(given.get('supplier')).trim(),
      article: String(given.get('article')).trim(),
      price_cents: Math.round(figure('price') * 100),
      limit: figure('limit'),
      days: figure('days'),
      pack_size: figure('pack'),
      breaks: from > 1 ? [{ from_count: from, price_cents: Math.round(figure('then') * 100) }, ...(offer.breaks ?? []).slice(1)] : [],
    })
    if (done) setOpen(false)
  }
  const first = offer.breaks?.[0]
  return (
    <form className="bg-base-100 border border-base-300 p-3 mb-2 grid grid-cols-2 gap-2 w-80" onSubmit={(event) => { event.preventDefault(); void keep(event.currentTarget) }}>
      <label className="col-span-2">Supplier<input name="supplier" required maxLength={80} autoFocus defaultValue={offer.supplier} className="input w-full h-10 bg-base-100" /></label>
      <label>Their number<input name="article" maxLength={60} defaultValue={offer.article} className="input w-full h-10 bg-base-100" /></label>
      <label>One costs, {currencySign()}<input name="price" type="number" min={0} step="0.01" required defaultValue={offer.price_cents / 100} className="input w-full h-10 bg-base-100" /></label>
      <label>Most to be had<input name="limit" type="number" min={0} required defaultValue={offer.limit} className="input w-full h-10 bg-base-100" /></label>
      <label>Days until they come<input name="days" type="number" min={0} max={365} required defaultValue={offer.days} className="input w-full h-10 bg-base-100" /></label>
      <label>Sold in packs of<input name="pack" type="number" min={1} required defaultValue={offer.pack_size} className="input w-full h-10 bg-base-100" /></label>
      <span />
      <label>From so many on<input name="from" type="number" min={0} defaultValue={first?.from_count ?? ''} className="input w-full h-10 bg-base-100" /></label>
      <label>each, {currencySign()}<input name="then" type="number" min={0} step="0.01" defaultValue={first ? first.price_cents / 100 : ''} className="input w-full h-10 bg-base-100" /></label>
      <div className="col-span-2 flex gap-2">
        <button type="submit" className="btn btn-primary btn-bench">Keep</button>
        <button type="button" className="btn btn-ghost btn-bench" onClick={() => setOpen(false)}>Never mind</button>
        {onDrop && <button type="button" className="underline quiet ml-auto" onClick={onDrop}>take it off</button>}
      </div>
    </form>
  )
}

