import { useState } from 'react'
import { Link, useNavigate } from 'react-router'
import type { Schemas } from '../api/client'
import { Dive, ToolMark, toolMark } from '../drawings/dive/Dive'
import { ScrewTray } from '../drawings/dive/ScrewTray'
import { ProblemNote } from '../frame/Problem'
import { useKeys } from '../frame/keys'
import { count } from '../frame/words'
import { Aside } from './Aside'
import { Danger } from './Danger'
import { Finished } from './Finished'
import { LayReady } from './LayReady'
import { NotAsWritten, forgetSaid } from './NotAsWritten'
import { StepNow } from './StepNow'
import { useBench } from './useBench'
import { Advice, OrderState, OutcomeKind } from '../api/vocabulary'
import { labelOf } from '../frame/vocabulary'

/** One work order: the dive, the step in hand, the screw tray. */
export function Bench({ batch, tag }: { batch: string; tag: string }) {
  const navigate = useNavigate()
  const bench = useBench(tag)
  const [telling, setTelling] = useState<'' | 'any' | 'danger'>('')
  const { view, done } = bench
  const toldAll = (): void => {
    forgetSaid(tag)
    setTelling('')
  }
  const open = view?.state === OrderState.OPEN
  const mine = open && view.clock.mine
  const atWork = mine && (view.clock.running || bench.kept > 0)
  const notAtWork = atWork && !telling ? '' : open ? 'the order is not in hand' : 'the order is not open'
  const toRelease = view?.state === OrderState.DONE && view.outcome.outcome !== OutcomeKind.DONOR && !view.closing
  const others = open && !mine && view.clock.worker
  const waits = open && !view.clock.since && view.fetch.some((part) => !part.here)
  useKeys('Bench', [
    {
      key: ' ',
      does: atWork ? 'step done' : 'begin, or go on',
      act: () => { if (atWork) bench.tick(); else bench.begin() },
      off: telling ? 'say first what is not as written' : !open ? 'the order is not open' : others && !atWork ? `${view.clock.worker} has it: O takes it over` : waits ? 'parts of it are not here: Y begins it all the same' : '',
    },
    { key: 'y', does: 'begin, though parts are not here yet', act: () => bench.begin(true), off: waits && !telling ? '' : 'it does not wait for parts' },
    { key: 'o', does: 'take the order over', act: () => bench.begin(), off: others ? '' : 'nobody else has it' },
    { key: 'Backspace', does: 'one step back', act: bench.back, off: notAtWork },
    { key: 'x', does: 'not as written', act: () => setTelling('any'), off: mine && !telling ? '' : 'the order is not in hand' },
    { key: '!', does: 'danger', act: () => setTelling('danger'), off: mine && telling !== 'danger' ? '' : 'the order is not in hand' },
    { key: 'h', does: 'rest', act: bench.pause, off: notAtWork },
    { key: 'e', does: 'count the minutes of this step, or not', act: bench.discount, off: notAtWork },
    { key: 'g', does: 'leave it open and set it aside', act: bench.leave, off: open && view.closing && !telling ? '' : 'it is not to be left open' },
    {
      key: 'Enter',
      does: toRelease ? 'go on to its last check' : 'go on to the next order',
      act: () => navigate(toRelease ? `/${batch}/release/${tag}` : `/${batch}/fit`),
      off: open ? 'the order is open' : '',
    },
  ])
  if (bench.loadError) return <div className="page"><ProblemNote error={bench.loadError} /></div>
  if (!view) return null
  const { work } = view
  const step = work.steps[done]
  const next = work.steps[done + 1]
  const wells = done ? (work.steps[done - 1]?.tray ?? []) : work.tray_before
  if (view.danger && view.state === OrderState.STOPPED) return <Danger view={view} batch={batch} />
  return (
    <div className="grow min-w-0 grid grid-cols-[minmax(0,1fr)_250px] max-lg:grid-cols-1">
      <div className="px-7 pt-3 pb-6 min-w-0">
        <header className="flex items-start gap-4 mb-1">
          <h1 className="tag text-2xl">{view.tag}</h1>
        <Link className="underline quiet pt-1" to={`/unit/${view.tag}`}>story</Link>
          <div className="leading-tight">
            <p><b>{view.model}</b>, {view.closing ? 'to be closed again' : work.donor ? 'donor: taken apart, not closed again' : `fit to ${view.standard}`}</p>
            <p className="quiet text-note">
              step {Math.min(done + 1, work.steps.length)} of {work.steps.length} · {Math.round(view.estimate.low)} to {Math.round(view.estimate.high)} min{' '}
              {view.estimate.times ? 'by recorded times' : 'by the sheet'}{work.minutes_apart > work.minutes && `, ${Math.round(work.minutes_apart - work.minutes)} saved by opening once`}
            </p>
          </div>
        </header>
        <Dive steps={work.steps} tools={work.tools} done={done} />
        <Legend tools={work.tools} />
        <LastAdvice view={view} done={done} onLeave={bench.leave} />
        {bench.kept > 0 && <p role="status" className="border-l-4 border-accent bg-base-100 px-4 py-2 mb-3">Not connected. {count(bench.kept, 'step')} kept on this device; sent when the connection is back. Go on working.</p>}
        <div className="flex gap-6">
          <div className="grow min-w-0">
            {!open ? (
              <Finished view={view} batch={batch} />
            ) : !step ? (
              <p className="text-lg">The last step is on its way to the workshop’s record.</p>
            ) : telling ? (
              <NotAsWritten view={view} done={done} busy={bench.busy} danger={telling === 'danger'} onTell={async (said) => { if (await bench.surprise(said)) toldAll() }} onStop={(words) => { bench.stop(words); toldAll() }} onCancel={toldAll} />
            ) : atWork ? (
              <StepNow step={step} bench={bench} onTell={() => setTelling('any')} />
            ) : (
              <LayReady view={view} done={done} waits={Boolean(waits)} onBegin={bench.begin} busy={bench.busy} />
            )}
            <ProblemNote error={bench.error} />
          </div>
          <div className="w-52 shrink-0">
            {step && open && <InHand step={step} next={next} />}
            <ScrewTray wells={wells} now={open && step ? step.wells : []} staysOut={view.stays_out} />
          </div>
        </div>
      </div>
      <Aside bench={bench} view={view} done={done} />
    </div>
  )
}

function Legend({ tools }: { tools: string[] }) {
  return (
    <p className="flex flex-wrap gap-x-4 text-sm quiet mb-3">
      {tools.map((tool) => (
        <span key={tool} className="flex items-center gap-1">
          <svg width="16" height="16" aria-hidden="true"><ToolMark shape={toolMark(tools, tool)} cx={8} cy={8} r={5} fill="none" stroke="currentColor" strokeWidth={1.6} /></svg>
          {tool}
        </span>
      ))}
      <span className="flex items-center gap-1"><svg width="16" height="16" aria-hidden="true"><circle cx="8" cy="8" r="7" fill="none" stroke="currentColor" strokeWidth="1.2" strokeDasharray="2 2" /><circle cx="8" cy="8" r="3" fill="currentColor" /></svg>caution</span>
      <span className="flex items-center gap-1"><svg width="16" height="16" aria-hidden="true"><circle cx="8" cy="8" r="7" fill="none" stroke="var(--hazard)" strokeWidth="1.8" /><circle cx="8" cy="8" r="3" fill="currentColor" /></svg>lithium pack</span>
      <span className="flex items-center gap-1"><svg width="16" height="16" aria-hidden="true"><circle cx="8" cy="8" r="5" fill="none" stroke="var(--fit)" strokeWidth="2.6" /></svg>a part moves</span>
    </p>
  )
}

/** What Sortis answered to the last surprise, while it still matters. */
function LastAdvice({ view, done, onLeave }: { view: Schemas['WorkView']; done: number; onLeave: () => void }) {
  const last = view.surprises[0]
  if (!last || view.state !== OrderState.OPEN || (last.advice === Advice.GO_ON && done >= last.step)) return null
  return (
    <div role="status" className="border-l-[6px] border-accent bg-base-100 px-4 py-2 mb-3">
      <p className="text-xl font-bold first-letter:uppercase">{labelOf('Advice', last.advice)}</p>
      <p>{last.sentence}</p>
      {view.closing && <button type="button" className="btn btn-outline btn-bench mt-2" onClick={onLeave}>Leave it open, set it aside <kbd>G</kbd></button>}
    </div>
  )
}

function InHand({ step, next }: { step: Schemas['WorkStep']; next: Schemas['WorkStep'] | undefined }) {
  const named = (tool: string): string => labelOf('Tool', tool)
  return (
    <div className="mb-4">
      <p className="quiet text-sm">In hand</p>
      <p className="text-xl font-semibold leading-tight">{named(step.tool)}</p>
      <p className="quiet text-sm min-h-5">{next && next.tool !== step.tool && `next: ${named(next.tool)}`}</p>
    </div>
  )
}
