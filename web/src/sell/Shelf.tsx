import { useQuery, useQueryClient } from '@tanstack/react-query'
import { FileDown } from 'lucide-react'
import { useState } from 'react'
import { Link } from 'react-router'
import { type Schemas, api, ask, lostOf } from '../api/client'
import { SaleState } from '../api/vocabulary'
import { ProblemNote } from '../frame/Problem'
import { useScan } from '../frame/ScanListener'
import { didAtOnce } from '../frame/Undo'
import { useFilter } from '../frame/filter'
import { labelOf } from '../frame/vocabulary'
import { PapersOfMany } from './PapersOfMany'
import { count, day, money } from '../frame/words'

const shelfQuery = { queryKey: ['shelf'], queryFn: () => ask(api.GET('/api/shelf')) }

/** What is to be sold, grouped as buyers see it; what is reserved and packed on its way to them. */
export function Shelf() {
  const query = useQuery(shelfQuery)
  const queries = useQueryClient()
  const [filter, setFilter] = useFilter()
  const [open, setOpen] = useState<number | null>(null)
  const [error, setError] = useState<unknown>(null)
  const [said, setSaid] = useState('')
  const refresh = (): void => void queries.invalidateQueries()
  const act = async (call: () => Promise<Schemas['SaleView']>, words: (sale: Schemas['SaleView']) => string): Promise<boolean> => {
    try {
      setSaid(words(await call()))
      setError(null)
      await queries.invalidateQueries({ queryKey: ['shelf'] })
      return true
    } catch (refusal) {
      setSaid('')
      setError(refusal)
      return false
    }
  }
  const market = async (words: string, call: () => Promise<string>): Promise<void> => {
    setSaid(`${words} …`)
    try {
      setSaid(await call())
      setError(null)
    } catch (refusal) {
      setSaid('')
      setError(refusal)
    }
    await queries.invalidateQueries({ queryKey: ['shelf'] })
  }
  const pack = async (tag: string, code: string): Promise<boolean> =>
    act(() => ask(api.POST('/api/units/{tag}/sale/pack', { params: { path: { tag } }, body: { code } })), (now) => `${now.tag} is packed; its label was scanned.`)
  const fill = (order: number, code: string): Promise<boolean> =>
    act(() => ask(api.POST('/api/shelf/orders/{order}/fill', { params: { path: { order } }, body: { code } })), (now) => `${now.tag} is set aside for ${now.buyer}.`)
  // Only into the field that waits for it: anywhere else a code leads to its unit.
  useScan((codes) => {
    const field = document.activeElement
    if (field instanceof HTMLInputElement && field.dataset.order !== undefined) {
      void fill(Number(field.dataset.order), codes[0] ?? '')
      return true
    }
    if (!(field instanceof HTMLInputElement) || field.dataset.sale === undefined) return false
    const tag = field.dataset.sale
    const code = codes.find((one) => one.toUpperCase() === tag) ?? codes.at(-1) ?? ''
    if (tag) void pack(tag, code)
    else field.value = code
    return true
  })
  if (lostOf(query)) return <div className="page"><ProblemNote error={query.error} /></div>
  const view = query.data
  if (!view) return null
  const cancel = (tag: string): Promise<Schemas['SaleView']> => ask(api.POST('/api/units/{tag}/sale/cancel', { params: { path: { tag } }, body: { reason: '' } }))
  const reserve = async (tag: string, buyer: string, price: string): Promise<void> => {
    const done = await act(() => ask(api.POST('/api/units/{tag}/sale/reserve', { params: { path: { tag } }, body: { buyer, price_cents: price ? Math.round(Number(price) * 100) : null } })), () => '')
    if (!done) return
    didAtOnce(`${tag} is reserved for ${buyer}.`, async () => {
      await cancel(tag)
      refresh()
      return `${tag} is back on the shelf.`
    })
  }
  const low = filter.toLowerCase()
  const groups = view.groups.filter((group) => `${group.model} ${group.standard} ${group.tags.join(' ')}`.toLowerCase().includes(low))
  return (
    <div className="page grid grid-cols-[minmax(0,1fr)_24rem] gap-10 max-lg:grid-cols-1">
      <section className="min-w-0">
        <div className="flex flex-wrap items-center gap-4 mb-2">
          <h1 className="grow">Shelf <span className="quiet text-base font-normal">{count(view.groups.reduce((sum, group) => sum + group.free, 0), 'unit')} to be sold</span></h1>
          <input type="search" className="input h-11 w-56 bg-base-100" placeholder="Filter models and tags" aria-label="Filter models and tags" value={filter} onChange={(event) => setFilter(event.target.value)} />
          <a className="underline flex gap-1 items-center" href="/api/shelf/listing.csv"><FileDown size={16} aria-hidden="true" /> listing as CSV</a>
          <a className="underline" href="/api/shelf/listing.xlsx">as XLSX</a>
          <a className="underline" href="/api/shelf/listing.json">as JSON</a>
        </div>
        {view.market && (
          <p className="flex flex-wrap items-center gap-3 mb-2">
            <button type="button" className="btn btn-outline btn-bench font-normal" onClick={() => void market('Listing', async () => `The market lists ${count((await ask(api.POST('/api/shelf/market/listing'))).groups, 'group')} now.`)}>List at the market</button>
            <button type="button" className="btn btn-outline btn-bench font-normal" onClick={() => void market('Asking for orders', async () => (await ask(api.POST('/api/shelf/market/orders'))).map((one) => one.sentence).join(' ') || 'The market has no new order.')}>Fetch its orders</button>
          </p>
        )}
        {groups.length > 0 && <PapersOfMany tags={groups.flatMap((group) => group.tags)} />}
        {said && <p role="status" className="border-l-4 border-success bg-base-100 px-4 py-2 mb-2">{said}</p>}
        <ProblemNote error={error} />
        {view.groups.length === 0 && <p>Nothing is on the shelf. Units come here once they are released.</p>}
        <ul>
          {groups.map((group) => (
            <li key={group.number} className="rule-t py-3">
              <div className="flex flex-wrap items-baseline gap-x-5">
                <b className="text-xl w-14">{group.free} ×</b>
                <b className="grow min-w-0">{group.model}</b>
                <b className="text-lg">{group.price_cents === null ? 'no price' : money(group.price_cents, view.currency)}</b>
                {group.price && <span className="text-note text-right">{group.price.cents < group.price.full_cents && <s className="quiet">{money(group.price.full_cents, view.currency)}</s>} {group.price.next_cents != null && <span className="quiet">{money(group.price.next_cents, view.currency)} in {count(group.price.next_in_days ?? 0, 'day')}</span>}</span>}
                <button type="button" className="btn btn-outline btn-bench font-normal w-28" aria-expanded={open === group.number} onClick={() => setOpen(open === group.number ? null : group.number)}>{open === group.number ? 'Close' : group.free ? 'Sell one' : 'Reserved'}</button>
              </div>
              <div className="flex gap-4 pl-19 max-sm:pl-0">
                {group.picture !== null && <Link to={`/unit/${group.pictured}`} className="shrink-0"><img src={`/api/units/${group.pictured}/photos/${group.picture}.jpg`} alt={`${group.model}, ${group.pictured}`} loading="lazy" className="w-24 h-16 object-cover border border-base-300" /></Link>}
                <p className="quiet text-note">{group.claims.join(' · ')}</p>
              </div>
              {open === group.number && (
                <ul className="mt-2 border-l-2 border-base-content pl-4">
                  {group.tags.map((tag) => {
                    const sale = view.sales.find((one) => one.tag === tag)
                    return (
                      <li key={tag} className="py-1.5 flex flex-wrap items-center gap-3">
                        <Link className="tag hover:underline w-24" to={`/unit/${tag}`}>{tag}</Link>
                        {sale
                          ? <span className="quiet">{labelOf('SaleState', sale.state)} for {sale.buyer}</span>
                          : (
                            <form className="flex gap-2" onSubmit={(event) => { event.preventDefault(); const given = new FormData(event.currentTarget); void reserve(tag, String(given.get('buyer')), String(given.get('price') ?? '')) }}>
                              <input name="buyer" required maxLength={120} aria-label={`Buyer of ${tag}`} placeholder="who gets it" className="input h-11 w-48 bg-base-100" />
                              {group.price_cents === null && <input name="price" type="number" required min={0} step="0.01" aria-label={`Price of ${tag}`} placeholder="for how much" className="input h-11 w-32 bg-base-100" />}
                              <button type="submit" className="btn btn-outline btn-bench">Reserve</button>
                            </form>
                          )}
                      </li>
                    )
                  })}
                </ul>
              )}
            </li>
          ))}
        </ul>
      </section>
      <section>
        {view.orders.length > 0 && (
          <>
            <h2 className="border-b border-base-content pb-1">Orders of customers</h2>
            <ul className="mb-5">
              {view.orders.map((order) => (
                <li key={order.id} className="rule-b py-3">
                  <p><b>{order.customer}</b> <span className="quiet">{order.standard}{order.due_on && `, by ${day(order.due_on)}`}{order.price_cents !== null && `, at ${money(order.price_cents, view.currency)} each`}</span> <b className="float-right">{order.filled} of {order.count}</b></p>
                  <form className="flex gap-2 mt-1 items-center" onSubmit={(event) => { event.preventDefault(); const form = event.currentTarget; void fill(order.id, String(new FormData(form).get('code'))).then((done) => { if (done) form.reset() }) }}>
                    <input name="code" data-codes="" data-order={order.id} required maxLength={200} aria-label={`Scan a unit for ${order.customer}`} placeholder="scan its label" className="input h-11 w-44 bg-base-100 font-mono" />
                    <button type="submit" className="btn btn-outline btn-bench">Set aside</button>
                    <span className="quiet">{order.next_tag ? <>best <span className="tag">{order.next_tag}</span></> : 'none on the shelf fits'}</span>
                  </form>
                </li>
              ))}
            </ul>
          </>
        )}
        <h2 className="border-b border-base-content pb-1 flex gap-3"><span className="grow">On its way</span>{view.sales.some((sale) => sale.state === SaleState.RESERVED) && <a className="underline text-base font-normal" href="/api/shelf/pick-list.pdf" target="_blank" rel="noreferrer">Pick list</a>}</h2>
        {view.sales.length === 0 && <p className="quiet py-2">Nothing is reserved.</p>}
        <ul>
          {view.sales.map((sale) => (
            <li key={sale.tag} className="rule-b py-3">
              <p><Link className="tag hover:underline" to={`/unit/${sale.tag}`}>{sale.tag}</Link> for <b>{sale.buyer}</b>, {money(sale.price_cents, view.currency)} <span className="quiet">{labelOf('SaleState', sale.state)}</span></p>
              <div className="flex flex-wrap gap-2 mt-1 items-center">
                {sale.state === SaleState.RESERVED && (
                  <form className="flex gap-2" onSubmit={(event) => { event.preventDefault(); const form = event.currentTarget; void pack(sale.tag, String(new FormData(form).get('code'))) }}>
                    <input name="code" data-codes="" data-sale={sale.tag} required maxLength={200} aria-label={`Scan the label of ${sale.tag}`} placeholder="scan its label" className="input h-11 w-44 bg-base-100 font-mono" />
                    <button type="submit" className="btn btn-outline btn-bench">Packed</button>
                  </form>
                )}
                {sale.state === SaleState.PACKED && <button type="button" className="btn btn-primary btn-bench" onClick={() => void act(() => ask(api.POST('/api/units/{tag}/sale/hand-over', { params: { path: { tag: sale.tag } } })), (now) => `${now.tag} is handed over.`)}>Handed over</button>}
                {sale.state === SaleState.PACKED && <a className="underline" href={`/api/shelf/delivery.pdf?buyer=${encodeURIComponent(sale.buyer)}`} target="_blank" rel="noreferrer">delivery note</a>}
                <button type="button" className="underline quiet" onClick={() => void act(() => cancel(sale.tag), (now) => `${now.tag} is back on the shelf.`)}>cancel</button>
              </div>
            </li>
          ))}
        </ul>
        <p className="my-4">{count(view.sold, 'unit')} sold, <b>{money(view.income_cents, view.currency)}</b> in.</p>
        <h2 className="border-b border-base-content pb-1 mb-2">Something came back</h2>
        <form className="grid gap-2" onSubmit={(event) => { event.preventDefault(); const form = event.currentTarget; const given = new FormData(form); void act(() => ask(api.POST('/api/units/{tag}/sale/return', { params: { path: { tag: String(given.get('tag')) } }, body: { reason: String(given.get('reason')) } })), (now) => `${now.tag} waits at Inspect; its label is void.`).then((done) => { if (done) form.reset() }) }}>
          <label>Tag<input name="tag" data-codes="" data-sale="" required maxLength={12} className="input w-full h-11 bg-base-100 font-mono" /></label>
          <label>Why it came back<input name="reason" required maxLength={200} className="input w-full h-11 bg-base-100" placeholder="fan rattles after an hour" /></label>
          <button type="submit" className="btn btn-outline btn-bench">Take it back</button>
        </form>
      </section>
    </div>
  )
}
