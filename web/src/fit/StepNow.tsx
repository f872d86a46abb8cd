import { useEffect, useState } from 'react'
import type { Schemas } from '../api/client'
import { ticking } from '../frame/words'
import type { BenchState } from './useBench'
import { Caution } from '../api/vocabulary'

/** The step in hand: cautions first, then what to do, in letters read at arm's length. */
export function StepNow({ step, bench, onTell }: { step: Schemas['WorkStep']; bench: BenchState; onTell: () => void }) {
  return (
    <section aria-live="polite" aria-label="Step">
      {step.cautions.map((caution) => (
        <p key={caution.key} className={`border-l-[6px] bg-base-100 px-4 py-1.5 mb-1.5 leading-snug ${caution.key === Caution.LITHIUM ? 'border-error' : 'border-base-content'}`}>{caution.words}</p>
      ))}
      <h2 className="text-3xl leading-tight mb-1 mt-3">{step.title}</h2>
      <p className="text-lg">{step.how}</p>
      {step.connector && <p>Connector: {step.connector}.</p>}
      {step.breaks.map((words) => <p key={words} className="fitink font-semibold">{words}</p>)}
      {step.why && <p className="quiet mt-1">Why: {step.why}</p>}
      {step.chain.length > 2 && <p className="quiet text-sm">{step.chain.join(' → ')}</p>}
      <div className="flex flex-wrap gap-2 mt-3">
        <button type="button" className="btn btn-primary btn-lg" onClick={bench.tick}>Done <kbd>Space</kbd></button>
        <button type="button" className="btn btn-outline btn-lg px-4" onClick={onTell}>Not as written <kbd>X</kbd></button>
        {bench.done > 0 && <button type="button" className="btn btn-outline btn-lg px-3" onClick={bench.back} disabled={bench.busy}>Back <kbd>⌫</kbd></button>}
      </div>
      <StepClock step={step} bench={bench} />
    </section>
  )
}

function StepClock({ step, bench }: { step: Schemas['WorkStep']; bench: BenchState }) {
  const [, beat] = useState(0)
  useEffect(() => {
    const timer = setInterval(() => beat((n) => n + 1), 1000)
    return () => clearInterval(timer)
  }, [])
  const view = bench.view
  if (!view) return null
  return (
    <div className="flex flex-wrap items-center gap-x-2 gap-y-1 mt-4 text-note">
      <span className={`figures text-lg ${view.clock.counts ? '' : 'line-through quiet'}`} aria-live="off">{ticking(bench.seconds())}</span>
      <span className="quiet">of about {ticking(step.minutes * 60)} for this step</span>
      <button type="button" className="btn btn-ghost btn-sm" onClick={bench.pause} disabled={bench.busy}>Rest <kbd>H</kbd></button>
      <button type="button" className="btn btn-ghost btn-sm" onClick={bench.discount} disabled={bench.busy}>{view.clock.counts ? 'Do not count it' : 'Count it after all'} <kbd>E</kbd></button>
    </div>
  )
}
