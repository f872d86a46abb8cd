import type { Schemas } from '../api/client'
import { atMinute } from './time'

interface Props {
  person: Schemas['AtBenches']
  date: string
  /** The hours that all lanes of the day share, in minutes. */
  from: number
  to: number
  orders: Schemas['PlannedOrder'][]
  selected: string
  moved: Map<string, Schemas['Moved']>
  onSelect: (tag: string) => void
}

const HEIGHT = 34

/** One person's day: the stretches of work as a ground, the orders on it, and the same as a list. */
export function Lane({ person, date, from, to, orders, selected, moved, onSelect }: Props) {
  const stretches = person.stretches.filter((stretch) => stretch.day === date)
  if (!stretches.length) return null
  const width = 900
  const x = (minute: number): number => ((minute - from) / (to - from)) * width
  const ticks = Array.from({ length: (to - from) / 60 + 1 }, (_, hour) => from + hour * 60)
  const busy = orders.reduce((sum, order) => sum + order.end - order.start, 0)
  const words = orders.map((order, index) => `${index + 1} ${order.tag} ${atMinute(order.start)} to ${atMinute(order.end)}`).join('; ')
  return (
    <div className="mb-4">
      <p className="mb-0.5"><b>{person.name}</b> <span className="quiet text-sm">{person.skills.join(', ')}{Math.abs(person.speed - 1) >= 0.05 && ` · takes ${Math.round(person.speed * 100)} % of the usual time`} · {busy} min planned{orders[0] && ` at bench ${orders[0].bench}`}</span></p>
      <svg viewBox={`0 0 ${width} ${HEIGHT + 14}`} className="w-full h-auto" role="img" aria-label={`${person.name}: ${words || 'nothing planned'}`}>
        {stretches.map((stretch) => <rect key={stretch.key} x={x(stretch.start)} y={0} width={x(stretch.end) - x(stretch.start)} height={HEIGHT} fill="var(--sheet)" stroke="var(--rule)" />)}
        {ticks.map((tick) => (
          <g key={tick}>
            <line x1={x(tick)} x2={x(tick)} y1={HEIGHT} y2={HEIGHT + 4} stroke="var(--quiet)" />
            <text x={x(tick)} y={HEIGHT + 13} fontSize="10" fill="var(--quiet)" textAnchor={tick === from ? 'start' : tick === to ? 'end' : 'middle'}>{atMinute(tick)}</text>
          </g>
        ))}
        {orders.map((order, index) => {
          const wide = x(order.end) - x(order.start)
          const sameModel = orders[index - 1]?.model === order.model && orders[index - 1]?.end === order.start
          const chosen = order.tag === selected
          return (
// biome-ignore lint/a11y/noStaticElementInteractions: the list under the drawing has a button for each
            <g key={order.tag} onClick={() => onSelect(order.tag)} className="cursor-pointer">
              <rect x={x(order.start) + 0.75} y={5} width={Math.max(2, wide - 1.5)} height={HEIGHT - 10} fill={order.begun ? 'var(--ink)' : chosen ? 'var(--fit-wash)' : 'var(--ground)'} stroke={order.late ? 'var(--fit)' : 'var(--ink)'} strokeWidth={chosen ? 2.5 : order.late ? 2 : 1.2} strokeDasharray={moved.has(order.tag) ? '4 3' : undefined} />
              {sameModel && <line x1={x(order.start) - 4} x2={x(order.start) + 4} y1={HEIGHT - 5} y2={HEIGHT - 5} stroke="var(--ink)" strokeWidth="3" />}
              {wide > 15 && <text x={x(order.start) + wide / 2} y={HEIGHT / 2 + 4} fontSize="11" textAnchor="middle" fill={order.begun ? 'var(--sheet)' : 'var(--ink)'}>{index + 1}</text>}
            </g>
          )
        })}
      </svg>
      <ol className="grid grid-cols-2 gap-x-4 max-xl:grid-cols-1 text-note">
        {orders.map((order, index) => (
          <li key={order.tag}>
            <button type="button" className={`w-full text-left px-1.5 py-1 flex gap-2 items-baseline ${order.tag === selected ? 'row-open' : 'hover:bg-base-100'}`} aria-pressed={order.tag === selected} onClick={() => onSelect(order.tag)}>
              <span className="quiet w-5 text-right">{index + 1}</span>
              <span className="figures">{atMinute(order.start)}</span>
              <span className="tag">{order.tag}</span>
              <span>{order.model} <span className="quiet">{order.standard || order.what}</span></span>
              <span className="grow" />
              {moved.has(order.tag) && <b className="fitink">moves</b>}
              {order.put && <span className="quiet whitespace-nowrap">by hand</span>}
              {order.begun && <span className="quiet">begun</span>}
              {order.late && <b className="fitink">late</b>}
              <span className="figures quiet">{order.end - order.start} min</span>
            </button>
          </li>
        ))}
      </ol>
      {orders.length === 0 && <p className="quiet text-sm">Nothing planned.</p>}
    </div>
  )
}
