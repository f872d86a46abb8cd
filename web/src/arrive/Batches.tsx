import { keepPreviousData, useInfiniteQuery, useQuery, useQueryClient } from '@tanstack/react-query'
import { useRef, useState } from 'react'
import { didAtOnce } from '../frame/Undo'
import { Link, useNavigate, useSearchParams } from 'react-router'
import { type Schemas, api, ask } from '../api/client'
import { BegunForm } from '../frame/begun'
import { DayField, dayGiven } from '../frame/DayField'
import { ProblemNote } from '../frame/Problem'
import { Stages } from '../frame/Stages'
import { Today, todayQuery } from '../day/Today'
import { AgainstDue } from './AgainstDue'
import { ChangeBatch } from './ChangeBatch'
import { count, currencySign, day, hours, isoDay, roundMoney, sees } from '../frame/words'
import { Money } from '../api/vocabulary'

const WEEKS_TO_DUE = 4

/** Batches with what waits where, searched and paged, closed ones apart; and a new one. */
export function Batches() {
  const [given, setGiven] = useSearchParams()
  const search = given.get('filter') ?? ''
  const closed = given.get('closed') === 'yes'
  const found = useInfiniteQuery({
    queryKey: ['batches', search, closed],
    queryFn: ({ pageParam }) => ask(api.GET('/api/batches', { params: { query: { search, closed, offset: pageParam } } })),
    initialPageParam: 0,
    getNextPageParam: (last, all) => {
      const shown = all.reduce((sum, page) => sum + page.batches.length, 0)
      return shown < last.total ? shown : undefined
    },
    placeholderData: keepPreviousData,
  })
  const turn = (key: string, value: string): void => {
    const next = new URLSearchParams(given)
    if (value) next.set(key, value)
    else next.delete(key)
    setGiven(next, { replace: true })
  }
  const all = found.data?.pages.flatMap((page) => page.batches) ?? []
  const laidAside = found.data?.pages[0]?.closed ?? 0
  const total = found.data?.pages[0]?.total ?? 0
  const today = useQuery(todayQuery)
  const money = new Map((today.data?.batches ?? []).map((one) => [one.slug, one]))
  return (
    <div className="page w-full grid grid-cols-[minmax(0,1fr)_22rem] gap-10 max-lg:grid-cols-1">
      <div className="min-w-0">
      <div className="flex items-center gap-3 mb-4">
        <h1 className="grow">{closed ? 'Closed batches' : 'Batches'}</h1>
        {(total > 5 || search) && <input type="search" className="input h-11 w-64 bg-base-100" placeholder="Name or where from" aria-label="Search batches" value={search} onChange={(event) => turn('filter', event.target.value)} />}
        {(laidAside > 0 || closed) && <button type="button" className="btn btn-ghost btn-bench font-normal underline" onClick={() => turn('closed', closed ? '' : 'yes')}>{closed ? 'Open batches' : `${count(laidAside, 'closed batch', 'closed batches')}`}</button>}
      </div>
      <ProblemNote error={found.error} />
      {found.data && all.length === 0 && <p>{search ? `No batch is called like “${search}”.` : closed ? 'No batch is closed.' : 'No batch yet. Make one below, then take its manifest in.'}</p>}
      {all.map((batch) => (
        <section key={batch.slug} className="mb-7" aria-label={batch.name}>
          <p className="mb-2"><b className="text-lg">{batch.name}</b> <span className="quiet">· {batch.source} · {count(batch.units, 'unit')}, {count(batch.models, 'model')} · due {day(batch.due_on)} · {sees(Money.RESULTS) && <>{roundMoney(batch.money_cents, batch.currency)} and </>}{hours(batch.bench_minutes)} to use</span> <ChangeBatch batch={batch} /></p>
          <Stages batch={batch.slug} counts={batch.counts} />
          <AgainstDue batch={batch} money={money.get(batch.slug)} />
          <Closing batch={batch} />
        </section>
      ))}
      {found.hasNextPage && <button type="button" className="btn btn-outline btn-bench mb-6" disabled={found.isFetchingNextPage} onClick={() => void found.fetchNextPage()}>More, {total - all.length} left</button>}
      {!closed && <NewBatch />}
      {!closed && <BatchIn />}
      </div>
      <Today />
    </div>
  )
}

/** A batch that nothing of waits any more can be laid aside, and opened again. */
function Closing({ batch }: { batch: Schemas['BatchView'] }) {
  const queries = useQueryClient()
  const [error, setError] = useState<unknown>(null)
  const done = batch.units > 0 && batch.counts.done === batch.units
  if (!done && !batch.closed) return null
  const set = async (closed: boolean): Promise<void> => {
    try {
      await ask(api.POST('/api/batches/{slug}/closed', { params: { path: { slug: batch.slug } }, body: { closed } }))
      await queries.invalidateQueries({ queryKey: ['batches'] })
      didAtOnce(`${batch.name} ${closed ? 'laid aside' : 'opened again'}.`, async () => {
        await ask(api.POST('/api/batches/{slug}/closed', { params: { path: { slug: batch.slug } }, body: { closed: !closed } }))
        await queries.invalidateQueries({ queryKey: ['batches'] })
        return `${batch.name} is ${closed ? 'open' : 'laid aside'} as before.`
      })
    } catch (refusal) {
      setError(refusal)
    }
  }
  return (
    <p className="mt-1.5">
      <button type="button" className="quiet underline" onClick={() => void set(!batch.closed)}>{batch.closed ? 'Open it again' : 'Nothing of it waits: lay it aside'}</button>
      <ProblemNote error={error} />
    </p>
  )
}

/** A batch that left another workshop, with what was found on its units. */
function BatchIn() {
  const queries = useQueryClient()
  const chooser = useRef<HTMLInputElement>(null)
  const [said, setSaid] = useState<Schemas['Taken'] | null>(null)
  const [error, setError] = useState<unknown>(null)
  const read = async (file: File | undefined): Promise<void> => {
    if (!file) return
    const form = new FormData()
    form.append('file', file)
    try {
      setSaid(await ask(api.POST('/api/batch-files', { body: { file: file.name }, bodySerializer: () => form })))
      setError(null)
      await queries.invalidateQueries()
    } catch (refusal) {
      setSaid(null)
      setError(refusal)
    }
  }
  return (
    <div className="mt-4">
      <input ref={chooser} type="file" accept=".json,application/json" className="sr-only" tabIndex={-1} aria-label="Batch file" onChange={(event) => { void read(event.target.files?.[0]); event.target.value = '' }} />
      <button type="button" className="underline quiet" onClick={() => chooser.current?.click()}>Read a batch from a file</button>
      <ProblemNote error={error} />
      {said && <p role="status" className="border-l-4 border-success bg-base-100 px-4 py-2 mt-2">{said.same ? 'It is here already, with the same units and findings; nothing was changed.' : `${count(said.units, 'unit')} taken in with what was found on them.`} <Link className="underline" to={`/${said.batch}/inspect`}>Open it</Link>{said.words?.map((words) => <span key={words} className="block">{words}</span>)}</p>}
    </div>
  )
}

function NewBatch() {
  const navigate = useNavigate()
  const queries = useQueryClient()
  const [error, setError] = useState<unknown>(null)
  const today = new Date()
  const due = new Date(today.getTime() + WEEKS_TO_DUE * 7 * 86_400_000)
  return (
    <BegunForm
      place="batch"
      className="rule-t pt-4"
      onSend={async (sent) => {
        const form = new FormData(sent)
        const text = (name: string): string => String(form.get(name) ?? '')
        try {
          const made = await ask(api.POST('/api/batches', {
            body: {
              name: text('name'), source: text('source'), arrived_on: isoDay(today), due_on: dayGiven(form, 'due_on'),
              money_cents: sees(Money.RESULTS) ? Math.round(Number(text('money')) * 100) : null, bench_minutes: Math.round(Number(text('hours')) * 60),
            },
          }))
          await queries.invalidateQueries({ queryKey: ['batches'] })
          navigate(`/${made.slug}/arrive`)
          return true
        } catch (refusal) {
          setError(refusal)
          return false
        }
      }}
    >
      <h2 className="mb-2">A new batch</h2>
      <div className="flex flex-wrap gap-3 items-end">
        <label>Name<input name="name" required maxLength={80} className="input input-bordered h-11 w-56 block" placeholder="Harbour office, spring" /></label>
        <label>Where from<input name="source" required maxLength={120} className="input input-bordered h-11 w-56 block" /></label>
        <DayField label="Due" name="due_on" required begins={isoDay(due)} className="input input-bordered h-11 w-40" />
        {sees(Money.RESULTS) && <label>Money, {currencySign()}<input name="money" type="number" min="0" defaultValue="400" className="input input-bordered h-11 w-24 block" /></label>}
        <label>Bench hours<input name="hours" type="number" min="0" step="0.5" defaultValue="12" className="input input-bordered h-11 w-24 block" /></label>
        <button type="submit" className="btn btn-primary btn-bench">Make batch</button>
      </div>
      <ProblemNote error={error} />
    </BegunForm>
  )
}
