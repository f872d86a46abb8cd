import type { Schemas } from '../api/client'
import { clock } from '../frame/words'

/** One change of a count. */
export function Movement({ movement }: { movement: Schemas['MovementView'] }) {
  return (
    <li className="rule-t py-1.5">
      <b className="inline-block w-8">{movement.change > 0 ? '+' : ''}{movement.change}</b>{movement.label}
      <span className="block quiet pl-8">{movement.reason}, {movement.by}, {clock(movement.at)}</span>
    </li>
  )
}
