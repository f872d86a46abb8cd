import { Link } from 'react-router'
import type { Schemas } from '../api/client'
import { day as dayWords } from '../frame/words'
import { atMinute } from './time'

interface Props {
  order: Schemas['PlannedOrder']
  view: Schemas['DayView']
  moved: Schemas['Moved'] | undefined
  busy: boolean
  onPut: (pin: Schemas['DayPin']) => void
}

/** The chosen order, and where it could go instead. */
export function Move({ order, view, moved, busy, onPut }: Props) {
  const names = new Map(view.people.map((person) => [person.key, person.name]))
  const own = view.people.find((person) => person.key === order.technician)
  const before = moved?.before
  return (
    <section aria-label="Move an order">
      <h2 className="tag text-xl">{order.tag}</h2>
      <p>{order.model}, {order.what}</p>
      <p className="quiet">{names.get(order.technician)}, bench {order.bench}, {dayWords(order.day)} {atMinute(order.start)} to {atMinute(order.end)}</p>
      {before && <p className="fitink">Before: {names.get(before.technician)}, {atMinute(before.start % 1440)}.</p>}
      {order.batch && <p><Link className="underline" to={`/${order.batch}/fit/${order.tag}`}>Open it at the bench</Link></p>}
      <h3 className="mt-4 mb-1">Give it to</h3>
      <div className="flex flex-wrap gap-2">
        {view.people.filter((person) => person.key !== order.technician).map((person) => (
          <button type="button" key={person.key} className="btn btn-outline btn-bench" disabled={busy} onClick={() => onPut({ tag: order.tag, technician: person.key, stretch: null })}>{person.name}</button>
        ))}
      </div>
      <h3 className="mt-4 mb-1">Put it in</h3>
      <div className="flex flex-wrap gap-2">
        {own?.stretches.slice(0, 6).map((stretch) => (
          <button type="button" key={stretch.key} className="btn btn-outline btn-bench" disabled={busy || (stretch.day === order.day && stretch.start <= order.start && order.start < stretch.end)} onClick={() => onPut({ tag: order.tag, technician: order.technician, stretch: stretch.key })}>{dayWords(stretch.day)} {atMinute(stretch.start)}</button>
        ))}
      </div>
      {order.put && <button type="button" className="btn btn-ghost btn-bench mt-3" disabled={busy} onClick={() => onPut({ tag: order.tag, technician: '', stretch: null })}>Let the plan choose again</button>}
    </section>
  )
}
