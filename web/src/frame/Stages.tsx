import { NavLink } from 'react-router'
import { Stage } from '../api/vocabulary'
import { useOthers } from './live'
import { headingOf } from './vocabulary'

export const STAGES = [Stage.ARRIVE, Stage.INSPECT, Stage.DECIDE, Stage.FIT, Stage.RELEASE] as const

/** Where a unit that waits in this stage is worked on. */
export const placeOf = (batch: string, stage: Stage, tag: string): string => {
  switch (stage) {
    case Stage.ARRIVE:
    case Stage.INSPECT:
      return `/${batch}/inspect/${tag}`
    case Stage.DECIDE:
      return `/${batch}/decide?unit=${tag}`
    case Stage.FIT:
      return `/${batch}/fit/${tag}`
    default:
      return `/${batch}/release/${tag}`
  }
}

/** The five stages; each is as wide as the units that wait in it. */
export function Stages({ batch, counts }: { batch: string; counts: Record<string, number> }) {
  const { here } = useOthers()
  return (
    <nav aria-label="Stages" className="flex border-b border-base-content overflow-x-auto">
      {STAGES.map((stage, index) => {
        const waiting = counts[stage] ?? 0
        const blocked = stage === Stage.INSPECT ? (counts.blocked ?? 0) : 0
        return (
          <NavLink
            key={stage}
            to={`/${batch}/${stage}`}
            style={{ flexGrow: 3 + Math.sqrt(waiting) * 2, flexBasis: 0 }}
            className={({ isActive }) =>
              `min-w-max border-l border-base-content px-3 py-2.5 flex items-baseline gap-2 ${isActive ? 'bg-neutral text-neutral-content' : 'hover:bg-base-100'}`
            }
            title={`Alt+${index + 1}`}
          >
            <span>{headingOf('Stage', stage)}</span>
            <span className="text-xl font-bold">{waiting}</span>
            {blocked > 0 && <span className="text-sm opacity-85 whitespace-nowrap">{blocked} blocked</span>}
          </NavLink>
        )
      })}
      <span className="border-l border-base-content px-3 py-2.5 quiet self-center text-sm">{counts.done ?? 0} done</span>
      {here.length > 0 && <span role="status" className="border-l border-base-content px-3 py-2.5 fitink self-center text-sm whitespace-nowrap">{here.join(', ')} here too</span>}
    </nav>
  )
}
