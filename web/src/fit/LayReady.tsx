import type { Schemas } from '../api/client'
import { ToolMark, toolMark } from '../drawings/dive/Dive'
import { clock } from '../frame/words'
import { FetchState, Tool } from '../api/vocabulary'
import { labelOf } from '../frame/vocabulary'

/** Before the first step, after a rest, or while a colleague has it: what lies ready, one key to go on. */
export function LayReady({ view, done, onBegin, busy }: { view: Schemas['WorkView']; done: number; onBegin: () => void; busy: boolean }) {
  const { worker, mine, since } = view.clock
  const tools = [...new Set(view.work.steps.slice(done).map((step) => step.tool))].filter((tool) => tool !== Tool.HAND)
  const others = worker && !mine
  return (
    <section aria-label="Lay ready">
      <h2 className="text-3xl leading-tight mb-2">{others ? `${worker} has it` : view.words && !done ? 'Opened again' : since ? 'It rests' : 'Lay ready'}</h2>
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
        {view.fetch.filter((part) => part.state !== FetchState.FITTED).map((part) => <li key={part.for_place + part.label} className="py-0.5 pl-7"><b>{part.label}</b> {part.lot ? `${part.where} (${part.lot})` : `${labelOf('FetchState', part.state)}: ${part.where}`}</li>)}
      </ul>
      <div className="mt-4">
        <button type="button" className="btn btn-primary btn-lg" onClick={onBegin} disabled={busy}>
          {others ? <>Take it over <kbd>O</kbd></> : <>{since ? 'Go on' : 'Begin'} <kbd>Space</kbd></>}
        </button>
      </div>
    </section>
  )
}
