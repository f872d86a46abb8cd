import { useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { type Schemas, api, ask } from '../api/client'
import { DayField, dayGiven } from '../frame/DayField'
import { ProblemNote } from '../frame/Problem'
import { didAtOnce } from '../frame/Undo'
import { currencySign, sees } from '../frame/words'
import { Money } from '../api/vocabulary'

/** Name, days, money and hours of a batch, changed afterwards. */
export function ChangeBatch({ batch }: { batch: Schemas['BatchView'] }) {
  const queries = useQueryClient()
  const [open, setOpen] = useState(false)
  const [error, setError] = useState<unknown>(null)
  if (!open) return <button type="button" className="underline quiet text-note" onClick={() => setOpen(true)} aria-label={`Change ${batch.name}`}>change</button>
  const put = async (body: Schemas['NewBatch']): Promise<void> => {
    await ask(api.PUT('/api/batches/{slug}', { params: { path: { slug: batch.slug } }, body }))
    await queries.invalidateQueries()
  }
  const keep = async (form: HTMLFormElement): Promise<void> => {
    const given = new FormData(form)
    const text = (name: string): string => String(given.get(name) ?? '')
    const before: Schemas['NewBatch'] = { name: batch.name, source: batch.source, arrived_on: batch.arrived_on, due_on: batch.due_on, money_cents: sees(Money.RESULTS) ? batch.money_cents : null, bench_minutes: batch.bench_minutes }
    try {
      await put({ ...before, name: text('name'), source: text('source'), due_on: dayGiven(given, 'due_on'), ...(sees(Money.RESULTS) ? { money_cents: Math.round(Number(text('money')) * 100) } : {}), bench_minutes: Math.round(Number(text('hours')) * 60) })
      setOpen(false)
      didAtOnce(`${text('name')} is changed.`, async () => {
        await put(before)
        return `${batch.name} is as it was before.`
      })
    } catch (refusal) {
      setError(refusal)
    }
  }
  return (
    <form className="bg-base-100 border border-base-300 p-3 my-2 flex flex-wrap gap-3 items-end" aria-label={`Change ${batch.name}`} onSubmit={(event) => { event.preventDefault(); void keep(event.currentTarget) }}>
      <label>Name<input name="name" required maxLength={80} autoFocus defaultValue={batch.name} className="input h-11 w-56 bg-base-100 block" /></label>
      <label>Where from<input name="source" required maxLength={120} defaultValue={batch.source} className="input h-11 w-56 bg-base-100 block" /></label>
      <DayField label="Due" name="due_on" required begins={batch.due_on} className="input h-11 w-40 bg-base-100" />
      {sees(Money.RESULTS) && <label>Money, {currencySign(batch.currency)}<input name="money" type="number" min="0" step="0.01" defaultValue={batch.money_cents / 100} className="input h-11 w-28 bg-base-100 block" /></label>}
      <label>Bench hours<input name="hours" type="number" min="0" step="0.5" defaultValue={batch.bench_minutes / 60} className="input h-11 w-24 bg-base-100 block" /></label>
      <button type="submit" className="btn btn-primary btn-bench">Keep</button>
      <button type="button" className="btn btn-ghost btn-bench" onClick={() => setOpen(false)}>Never mind</button>
      <ProblemNote error={error} />
    </form>
  )
}
