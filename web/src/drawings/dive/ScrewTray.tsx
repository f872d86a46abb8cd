import type { Schemas } from '../../api/client'
import { count } from '../../frame/words'

const MM = 3.1
const SPACING = 17

/**
 * Screws that are out, in true relation of length, in numbered wells; captive ones stay put.
 *
 * `now` are the wells that the step in hand empties; `staysOut` is what goes to others or the store.
 */
export function ScrewTray({ wells, now, staysOut }: { wells: Schemas['Well'][]; now: number[]; staysOut: Schemas['Destination'][] }) {
  const loose = wells.filter((well) => !well.screws.captive)
  const captive = wells.filter((well) => well.screws.captive)
  const out = loose.reduce((sum, well) => sum + well.screws.count, 0)
  return (
    <section aria-label="Screw tray">
      <h2 className="leading-tight">Screw tray <span className="font-normal quiet text-note block">{out ? `${out} out, in ${count(loose.length, 'well')}` : 'empty, nothing is out'}</span></h2>
      {staysOut.length > 0 && (
        <ul aria-label="Stays out" className="text-note leading-snug mt-1 border-l-4 border-accent pl-2">
          {staysOut.map((part) => <li key={part.place}>{part.label} <span className="fitink">stays out, {part.words}</span></li>)}
        </ul>
      )}
      <ul className="flex flex-wrap gap-2.5 mt-1.5">
        {loose.map((well) => (
          <li key={well.number} className={`border-2 bg-base-100 px-3 pt-2 pb-1 min-w-28 ${now.includes(well.number) ? 'border-accent' : 'border-base-content'}`}>
            <svg width={Math.max(96, well.screws.count * SPACING)} height="52" role="img" aria-label={`Well ${well.number}: ${well.screws.count} screws ${well.screws.drive}, ${well.screws.length_mm} mm, ${well.screws.where}`}>
              {Array.from({ length: well.screws.count }, (_, index) => (
                <g key={index} transform={`translate(${index * SPACING + 1} 2)`} fill="var(--ink)">
                  <path d="M0 0 h13 l-2 5 h-9 z" />
                  <rect x="4.5" y="5" width="4" height={Math.min(44, well.screws.length_mm * MM)} />
                </g>
              ))}
            </svg>
            <p className="text-sm leading-tight"><b>{well.number}</b> · {well.screws.count} × {well.screws.length_mm} mm {well.screws.where}<br /><span className="quiet">{well.screws.drive}{well.screws.numbered ? ', in number order' : ''}</span>{now.includes(well.number) && <b className="block fitink">now back in</b>}</p>
          </li>
        ))}
        {captive.map((well) => (
          <li key={well.number} className="border border-dashed border-base-content px-3 py-2 text-sm">
            {well.screws.count} captive, {well.screws.where}<br /><span className="quiet">{well.screws.drive}{well.screws.numbered ? ', in number order' : ''}; they stay in their part</span>
          </li>
        ))}
      </ul>
    </section>
  )
}
