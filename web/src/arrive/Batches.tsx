import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { useNavigate } from 'react-router'
import { api, ask } from '../api/client'
import { ProblemNote } from '../frame/Problem'
import { Stages } from '../frame/Stages'
import { count, day, hours, roundMoney } from '../frame/words'

const WEEKS_TO_DUE = 4
const isoDay = (date: Date): string => date.toISOString().slice(0, 10)

/** All batches with what waits where, and a new one. */
export function Batches() {
  const batches = useQuery({ queryKey: ['batches'], queryFn: () => ask(api.GET('/api/batches')) })
  return (
    <div className="page max-w-5xl w-full">
      <h1 className="mb-4">Batches</h1>
      <ProblemNote error={batches.error} />
      {batches.data?.length === 0 && <p>No batch yet. Make one below, then take its manifest in.</p>}
      {batches.data?.map((batch) => (
        <section key={batch.slug} className="mb-7" aria-label={batch.name}>
          <p className="mb-2"><b className="text-lg">{batch.name}</b> <span className="quiet">· {batch.source} · {count(batch.units, 'unit')}, {count(batch.models, 'model')} · due {day(batch.due_on)} · {roundMoney(batch.money_cents, batch.currency)} and {hours(batch.bench_minutes)} to use</span></p>
          <Stages batch={batch.slug} counts={batch.counts} />
        </section>
      ))}
      <NewBatch />
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
    <form
      className="rule-t pt-4"
      onSubmit={async (event) => {
        event.preventDefault()
        const form = new FormData(event.currentTarget)
        const text = (name: string): string => String(form.get(name) ?? '')
        try {
          const made = await ask(api.POST('/api/batches', {
            body: {
              name: text('name'), source: text('source'), arrived_on: isoDay(today), due_on: text('due_on'),
              money_cents: Math.round(Number(text('money')) * 100), bench_minutes: Math.round(Number(text('hours')) * 60),
            },
          }))
          await queries.invalidateQueries({ queryKey: ['batches'] })
          navigate(`/${made.slug}/arrive`)
        } catch (refusal) {
          setError(refusal)
        }
      }}
    >
      <h2 className="mb-2">A new batch</h2>
      <div className="flex flex-wrap gap-3 items-end">
        <label>Name<input name="name" required maxLength={80} className="input input-bordered h-11 w-56 block" placeholder="Harbour office, spring" /></label>
        <label>Where from<input name="source" required maxLength={120} className="input input-bordered h-11 w-56 block" /></label>
        <label>Due<input name="due_on" type="date" required defaultValue={isoDay(due)} className="input input-bordered h-11 w-40 block" /></label>
        <label>Money, €<input name="money" type="number" min="0" defaultValue="400" className="input input-bordered h-11 w-24 block" /></label>
        <label>Bench hours<input name="hours" type="number" min="0" step="0.5" defaultValue="12" className="input input-bordered h-11 w-24 block" /></label>
        <button className="btn btn-primary btn-bench">Make batch</button>
      </div>
      <ProblemNote error={error} />
    </form>
  )
}
