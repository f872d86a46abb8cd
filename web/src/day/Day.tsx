import { useState } from 'react'
import { Link } from 'react-router'
import type { Schemas } from '../api/client'
import { CopyCsv } from '../frame/CopyCsv'
import { ProblemNote } from '../frame/Problem'
import { useKeys } from '../frame/keys'
import { count, day as dayWords, hours } from '../frame/words'
import { Hours } from './Hours'
import { Lane } from './Lane'
import { Move } from './Move'
import { atMinute } from './time'
import { useDay } from './useDay'

/** The day at the benches: who does which order when; moved by hand with the effect shown. */
export function Day() {
  const state = useDay()
  const [selected, setSelected] = useState('')
  const [editing, setEditing] = useState(false)
  const view = state.shown
  const orders = view?.orders ?? []
  const at = orders.findIndex((order) => order.tag === selected)
  const step = (by: number): void => {
    const next = orders[Math.min(orders.length - 1, Math.max(0, at + by))]
    if (next) setSelected(next.tag)
  }
  const tried = state.tried ? '' : 'nothing was moved'
  useKeys('The day', [
    { key: 'ArrowDown', does: 'next order', act: () => step(1) },
    { key: 'ArrowUp', does: 'order before', act: () => step(-1) },
    { key: 'k', does: 'keep the day as it was moved', act: state.keep, off: tried },
    { key: 'b', does: 'put it back', act: state.putBack, off: tried },
    { key: 'p', does: 'plan the day again', act: state.again, off: state.tried ? 'keep it or put it back first' : '' },
    { key: 'Escape', does: 'leave the order', act: () => setSelected('') },
  ])
  if (!view) return <div className="page"><ProblemNote error={state.error} />{state.error ? <Hours open /> : null}</div>
  const moved = new Map(view.moved.map((one) => [one.tag, one]))
  const chosen = orders.find((order) => order.tag === selected)
  return (
    <div className="grow grid grid-cols-[minmax(0,1fr)_300px] max-lg:grid-cols-1">
      <div className="px-7 pt-4 pb-8 min-w-0">
        <header className="flex flex-wrap items-baseline gap-x-5 gap-y-1 mb-1">
          <h1>The day at the benches</h1>
          <p className="quiet">
            {count(orders.length, 'order')}, {hours(view.minutes)}, {count(view.benches, 'bench', 'benches')} · {view.late ? <b className="fitink">{view.late} late</b> : 'none late'}
            {view.waits.length > 0 && `, ${view.waits.length} not in these days`}
          </p>
        </header>
        <p className="quiet text-sm mb-2">
          {view.proofs.map((proof) => `${proof.goal} ${proof.value}${proof.bound === proof.value ? ', proven best' : `, proven: not below ${proof.bound}`}`).join(' · ')}
          {view.made_at && ` · made by ${view.made_by}, ${dayWords(view.made_at)}`}
        </p>
        {view.stale && <p role="status" className="border-l-4 border-accent bg-base-100 px-4 py-2 mb-3">{view.stale} <button type="button" className="btn btn-outline btn-sm ml-2" onClick={state.again}>Plan again <kbd>P</kbd></button></p>}
        {state.tried && (
          <div role="status" className="border-l-4 border-accent bg-base-100 px-4 py-2 mb-3 flex items-center gap-3">
            <span className="grow">
              <b>Tried, not kept.</b> {view.moved.length ? `${count(view.moved.length, 'order moves', 'orders move')}` : 'Nothing moves'}; {view.late} late{state.kept && ` instead of ${state.kept.late}`}{effect(state.kept, view)}.
            </span>
            <button type="button" className="btn btn-primary btn-bench" onClick={state.keep} disabled={state.busy}>Keep <kbd>K</kbd></button>
            <button type="button" className="btn btn-outline btn-bench" onClick={state.putBack}>Put back <kbd>B</kbd></button>
          </div>
        )}
        <ProblemNote error={state.error} />
        {view.days.map((date) => {
          const onDay = orders.filter((order) => order.day === date)
          if (!onDay.length) return null
          const stretches = view.people.flatMap((person) => person.stretches.filter((stretch) => stretch.day === date))
          const from = Math.floor(Math.min(...stretches.map((stretch) => stretch.start)) / 60) * 60
          const to = Math.ceil(Math.max(...stretches.map((stretch) => stretch.end)) / 60) * 60
          return (
            <section key={date} className="mb-6" aria-label={dayWords(date)}>
              <h2 className="rule-b pb-1 mb-2">{dayWords(date)} <span className="font-normal quiet">{count(onDay.length, 'order')}, the last ends {atMinute(view.ends[date] ?? 0)}</span></h2>
              {view.people.map((person) => (
                <Lane key={person.key} person={person} date={date} from={from} to={to} orders={onDay.filter((order) => order.technician === person.key)} selected={selected} moved={moved} onSelect={setSelected} />
              ))}
            </section>
          )
        })}
        {view.waits.length > 0 && (
          <section className="mb-6">
            <h2 className="rule-b pb-1 mb-1">Not in these days</h2>
            <ul>{view.waits.map((wait) => <li key={wait.tag} className="py-1"><span className="tag">{wait.tag}</span> {wait.reason}</li>)}</ul>
          </section>
        )}
        <details open={editing} onToggle={(event) => setEditing(event.currentTarget.open)}>
          <summary className="cursor-pointer font-bold">People, benches and hours</summary>
          {editing && <Hours open />}
        </details>
      </div>
      <aside aria-label="Benches" className="border-l border-base-300 px-5 pt-4 pb-6 max-lg:border-l-0">
        {chosen ? <Move order={chosen} view={view} moved={moved.get(chosen.tag)} busy={state.busy} onPut={state.put} /> : <p className="quiet">Choose an order (↓ or click) to move it to somebody else or to another stretch; the effect is shown before you keep it.</p>}
        <h2 className="mt-6 mb-2">Take along</h2>
        <div className="flex flex-col gap-2 items-start">
          {!state.tried && <button type="button" className="btn btn-outline btn-bench" onClick={state.again} disabled={state.busy}>Plan again <kbd>P</kbd></button>}
          <a className="btn btn-outline btn-bench" href="/api/day/cards.pdf" target="_blank" rel="noreferrer">Job cards (PDF)</a>
          <a className="btn btn-outline btn-bench" href="/api/day/day.ics">Calendar (iCalendar)</a>
          {view.people.map((person) => <span key={person.key} className="text-note">{person.name}: <a className="underline" href={`/api/day/cards.pdf?technician=${person.key}`} target="_blank" rel="noreferrer">cards</a>, <a className="underline" href={`/api/day/day.ics?technician=${person.key}`}>calendar</a></span>)}
          <CopyCsv headings={['day', 'from', 'to', 'person', 'bench', 'tag', 'model', 'what']} rows={orders.map((order) => [order.day, atMinute(order.start), atMinute(order.end), order.technician, String(order.bench), order.tag, order.model, order.what])} />
          <Link className="underline text-note" to="/">All batches</Link>
        </div>
      </aside>
    </div>
  )
}

/** How the ends of the days differ from the plan that people go by. */
function effect(kept: Schemas['DayView'] | undefined, tried: Schemas['DayView']): string {
  if (!kept) return ''
  const said = Object.entries(tried.ends)
    .filter(([date, end]) => kept.ends[date] !== undefined && kept.ends[date] !== end)
    .map(([date, end]) => `${dayWords(date)} ends ${atMinute(end)} instead of ${atMinute(kept.ends[date] ?? 0)}`)
  return said.length ? `; ${said.join(', ')}` : ''
}
