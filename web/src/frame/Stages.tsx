import { NavLink } from 'react-router'

export const STAGES = ['arrive', 'inspect', 'decide', 'fit', 'release'] as const
export type Stage = (typeof STAGES)[number]

/** Where a unit that waits in this stage is worked on. */
export const placeOf = (batch: string, stage: string, tag: string): string => {
  switch (stage) {
    case 'arrive':
    case 'inspect':
      return `/${batch}/inspect/${tag}`
    case 'decide':
      return `/${batch}/decide?unit=${tag}`
    case 'fit':
      return `/${batch}/fit/${tag}`
    default:
      return `/${batch}/release/${tag}`
  }
}

/** The five stages; each is as wide as the units that wait in it. */
export function Stages({ batch, counts }: { batch: string; counts: Record<string, number> }) {
  return (
    <nav aria-label="Stages" className="flex border-b border-base-content">
      {STAGES.map((stage, index) => {
        const waiting = counts[stage] ?? 0
        const blocked = stage === 'inspect' ? (counts.blocked ?? 0) : 0
        return (
          <NavLink
            key={stage}
            to={`/${batch}/${stage}`}
            style={{ flexGrow: 3 + Math.sqrt(waiting) * 2, flexBasis: 0 }}
            className={({ isActive }) =>
              `min-w-24 border-l border-base-content px-3 py-2.5 flex items-baseline gap-2 ${isActive ? 'bg-neutral text-neutral-content' : 'hover:bg-base-100'}`
            }
            title={`Alt+${index + 1}`}
          >
            <span className="capitalize">{stage}</span>
            <span className="text-xl font-bold">{waiting}</span>
            {blocked > 0 && <span className="text-sm opacity-85">{blocked} blocked</span>}
          </NavLink>
        )
      })}
      <span className="border-l border-base-content px-3 py-2.5 quiet self-center text-sm">{counts.done ?? 0} done</span>
    </nav>
  )
}
