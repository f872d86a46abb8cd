import type { Schemas } from '../api/client'
import { ToolMark, toolMark } from '../drawings/dive/Dive'
import { clock, day } from '../frame/words'
import { FetchState, Tool } from '../api/vocabulary'
import { labelOf } from '../frame/vocabulary'

/** Before the first step, after a rest, or while a colleague has it: what lies ready, one key to go on. */
export function LayReady({ view, done, waits, onBegin, busy }: {
  view: Schemas['WorkView']
  done: number
  /** Nobody began it, and parts of it are not here. */
  waits: boolean
  onBegin: (onPurpose?: boolean) => void
  busy: boolean
}) {
  const { worker, mine, since } = view.clock
  const tools = [...new Set(view.work.steps.slice(done).map((step) => step.tool))].filter((tool) => tool !== Tool.HAND)
  const others = worker && !mine
  const awaited = view.fetch.filter((part) => !part.here)
  return (
    <section aria-label="Lay ready">
      <h2 className="text-3xl leading-tight mb-2">{others ? `${worker} has it` : view.words && !done ? 'Opened again' : since ? 'It rests' : waits ? 'Waits for parts' : 'Lay ready'}</h2>
      {awaited.length > 0 && (
        <ul className="border-l-4 border-accent bg-base-100 px-4 py-2 mb-3 text-lg max-w-2xl">
          {awaited.map((part) => (
            <li key={part.for_place + part.label} className="py-0.5">
              <b>{part.label}</b>{' '}
              <span className="fitink">{whereabouts(part)}</span>
              {part.due && `, about ${day(part.due)}`}
              {part.step !== null && `; step ${part.step} needs it`}
            </li>
          ))}
        </ul>
      )}
      {view.words && !done && <p className="text-lg mb-2 fitink font-semibold">{view.words}</p>}
      {others && <p className="text-lg mb-2">At step {done + 1}{since && `, begun ${clock(since)}`}. You go on at the same step.</p>}
      <ul className="text-lg">
        {tools.map((tool) => (
          <li key={tool} className="flex items-center gap-2 py-0.5">
            <svg width="20" height="20" aria-hidden="true"><ToolMark shape={toolMark(view.work.tools, tool)} cx={10} cy={10} r={6} fill="none" stroke="currentColor" strokeWidth={1.8} /></svg>
            {tool}
          </li>
        ))}
        {view.work.lay_ready?.map((thing) => <li key={thing} className="py-0.5 pl-7">{thing}</li>)}
        {view.fetch.filter((part) => part.here && part.state !== FetchState.FITTED).map((part) => <li key={part.for_place + part.label} className="py-0.5 pl-7"><b>{part.label}</b> {part.where} ({part.lot})</li>)}
      </ul>
      <div className="mt-4">
        {waits ? (
          <button type="button" className="btn btn-outline btn-lg" onClick={() => onBegin(true)} disabled={busy}>Begin all the same <kbd>Y</kbd></button>
        ) : (
          <button type="button" className="btn btn-primary btn-lg" onClick={() => onBegin()} disabled={busy}>
            {others ? <>Take it over <kbd>O</kbd></> : <>{since ? 'Go on' : 'Begin'} <kbd>Space</kbd></>}
          </button>
        )}
        {waits && <p className="quiet mt-2 max-w-xl">The unit would lie open until they come.</p>}
      </div>
    </section>
  )
}

/** Where a part is that cannot be laid ready. */
export const whereabouts = (part: Schemas['Fetch']): string => {
  const state = labelOf('FetchState', part.state)
  return part.where === state ? state : `${state}: ${part.lot ? `${part.where} (${part.lot})` : part.where}`
}
