import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { Navigate, useNavigate, useParams } from 'react-router'
import { type Schemas, api, ask, problemOf } from '../api/client'
import { Dive, ToolMark, toolMark } from '../drawings/dive/Dive'
import { ScrewTray } from '../drawings/dive/ScrewTray'
import { Strip } from '../drawings/strip/Strip'
import { ProblemNote } from '../frame/Problem'
import { UnitRail } from '../frame/UnitRail'
import { useKeys } from '../frame/keys'
import { count, money, signed } from '../frame/words'

/** Fit: the open work orders, and one of them at the bench. */
export function Fit() {
  const { batch = '', tag = '' } = useParams()
  const orders = useQuery({
    queryKey: ['orders', batch],
    queryFn: () => ask(api.GET('/api/batches/{slug}/work', { params: { path: { slug: batch } } })),
  })
  const open = orders.data ?? []
  const note = (other: string): string => {
    const order = open.find((row) => row.tag === other)
    if (!order) return ''
    return order.done_steps ? `${order.done_steps}/${order.steps}` : ''
  }
  return (
    <div className="grow flex">
      {!tag && open[0] && <Navigate replace to={`/${batch}/fit/${open[0].tag}`} />}
      <UnitRail heading={`${count(open.length, 'work order')}, those ready first`} units={open} current={tag} to={(other) => `/${batch}/fit/${other}`} note={note} />
      {tag ? <Bench key={tag} batch={batch} tag={tag} /> : (
        <p className="page text-lg">{orders.data && 'No work order is open. Approve a plan under Decide; its work orders stand here then.'}</p>
      )}
      <ProblemNote error={orders.error} />
    </div>
  )
}

const workKey = (tag: string) => ['work', tag]

function Bench({ batch, tag }: { batch: string; tag: string }) {
  const queries = useQueryClient()
  const navigate = useNavigate()
  const query = useQuery({ queryKey: workKey(tag), queryFn: () => ask(api.GET('/api/units/{tag}/work', { params: { path: { tag } } })) })
  const [error, setError] = useState<unknown>(null)
  const [stopping, setStopping] = useState(false)
  const [busy, setBusy] = useState(false)
  const view = query.data

  const send = async (call: () => Promise<Schemas['WorkView']>): Promise<void> => {
    if (busy) return
    setBusy(true)
    setError(null)
    try {
      const now = await call()
      queries.setQueryData(workKey(tag), now)
      if (now.state !== 'open') void queries.invalidateQueries()
      else void queries.invalidateQueries({ queryKey: ['orders', batch] })
      setStopping(false)
    } catch (refusal) {
      setError(refusal)
      if (problemOf(refusal).status === 409) await queries.invalidateQueries({ queryKey: workKey(tag) })
    } finally {
      setBusy(false)
    }
  }
  const path = { params: { path: { tag } } }
  const version = view?.version ?? 0
  const tick = (): void => void send(() => ask(api.POST('/api/units/{tag}/work/tick', { ...path, body: { version } })))
  const back = (): void => void send(() => ask(api.POST('/api/units/{tag}/work/back', { ...path, body: { version } })))
  const stop = (words: string): void => void send(() => ask(api.POST('/api/units/{tag}/work/stop', { ...path, body: { version, words } })))
  useKeys({
    ' ': () => view?.state === 'open' && tick(),
    Backspace: () => view?.state === 'open' && back(),
    '!': () => view?.state === 'open' && setStopping(true),
    n: () => view?.state !== 'open' && navigate(`/${batch}/fit`),
    r: () => view?.state === 'done' && view.outcome.outcome !== 'donor' && navigate(`/${batch}/release/${tag}`),
  })
  if (query.error) return <div className="page"><ProblemNote error={query.error} /></div>
  if (!view) return null
  const { work } = view
  const step = work.steps[view.done_steps]
  const next = work.steps[view.done_steps + 1]
  const wells = view.done_steps ? (work.steps[view.done_steps - 1]?.tray ?? []) : []
  return (
    <div className="grow min-w-0 grid grid-cols-[minmax(0,1fr)_250px] max-lg:grid-cols-1">
      <div className="px-7 pt-3 pb-6 min-w-0">
        <header className="flex items-start gap-4 mb-1">
          <h1 className="tag text-2xl">{view.tag}</h1>
          <div className="leading-tight">
            <p><b>{view.model}</b>, {work.donor ? 'donor: taken apart, not closed again' : `fit to ${view.standard}`}</p>
            <p className="quiet text-[0.9375rem]">step {Math.min(view.done_steps + 1, work.steps.length)} of {work.steps.length} · about {Math.round(work.minutes)} min{work.minutes_apart > work.minutes && `, ${Math.round(work.minutes_apart - work.minutes)} saved by opening once`}</p>
          </div>
        </header>
        <Dive steps={work.steps} tools={work.tools} done={view.done_steps} />
        <p className="flex flex-wrap gap-x-4 text-sm quiet mb-3">
          {work.tools.map((tool) => (
            <span key={tool} className="flex items-center gap-1">
              <svg width="16" height="16" aria-hidden="true"><ToolMark shape={toolMark(work.tools, tool)} cx={8} cy={8} r={5} fill="none" stroke="currentColor" strokeWidth={1.6} /></svg>
              {tool}
            </span>
          ))}
          <span className="flex items-center gap-1"><svg width="16" height="16" aria-hidden="true"><circle cx="8" cy="8" r="7" fill="none" stroke="currentColor" strokeWidth="1.2" strokeDasharray="2 2" /><circle cx="8" cy="8" r="3" fill="currentColor" /></svg>caution</span>
          <span className="flex items-center gap-1"><svg width="16" height="16" aria-hidden="true"><circle cx="8" cy="8" r="7" fill="none" stroke="var(--hazard)" strokeWidth="1.8" /><circle cx="8" cy="8" r="3" fill="currentColor" /></svg>lithium pack</span>
          <span className="flex items-center gap-1"><svg width="16" height="16" aria-hidden="true"><circle cx="8" cy="8" r="5" fill="none" stroke="var(--fit)" strokeWidth="2.6" /></svg>a part moves</span>
        </p>
        <div className="flex gap-6">
          <div className="grow min-w-0">
            {view.state === 'open' && step ? (
              <Step step={step} onDone={tick} onBack={view.done_steps ? back : null} onStop={() => setStopping(true)} busy={busy} />
            ) : (
              <Finished view={view} batch={batch} />
            )}
            <ProblemNote error={error} />
            {stopping && <NotAsWritten onStop={stop} onCancel={() => setStopping(false)} />}
          </div>
          <div className="w-52 shrink-0">
            {step && view.state === 'open' && <InHand step={step} next={next} />}
            <ScrewTray wells={wells} />
          </div>
        </div>
      </div>
      <Aside view={view} />
    </div>
  )
}

function Step({ step, onDone, onBack, onStop, busy }: { step: Schemas['WorkStep']; onDone: () => void; onBack: (() => void) | null; onStop: () => void; busy: boolean }) {
  return (
    <section aria-live="polite" aria-label="Step">
      {step.cautions.map((caution) => (
        <p key={caution.key} className={`border-l-[6px] bg-base-100 px-4 py-1.5 mb-1.5 leading-snug ${caution.key === 'lithium' ? 'border-error' : 'border-base-content'}`}>{caution.words}</p>
      ))}
      <h2 className="text-3xl leading-tight mb-1 mt-3">{step.title}</h2>
      <p className="text-lg">{step.how}</p>
      {step.breaks.map((words) => <p key={words} className="fitink font-semibold">{words}</p>)}
      {step.why && <p className="quiet mt-1">Why: {step.why}</p>}
      <div className="flex gap-3 mt-3">
        <button className="btn btn-primary btn-lg" onClick={onDone} disabled={busy}>Done <kbd>Space</kbd></button>
        <button className="btn btn-outline btn-lg" onClick={onStop}>Not as written <kbd>!</kbd></button>
        {onBack && <button className="btn btn-outline btn-lg" onClick={onBack} disabled={busy}>Back <kbd>⌫</kbd></button>}
      </div>
    </section>
  )
}

function InHand({ step, next }: { step: Schemas['WorkStep']; next: Schemas['WorkStep'] | undefined }) {
  const named = (tool: string): string => (tool === 'hand' ? 'bare hands' : tool)
  return (
    <div className="mb-4">
      <p className="quiet text-sm">In hand</p>
      <p className="text-xl font-semibold leading-tight">{named(step.tool)}</p>
      <p className="quiet text-sm min-h-5">{next && next.tool !== step.tool && `next: ${named(next.tool)}`}</p>
    </div>
  )
}

function Finished({ view, batch }: { view: Schemas['WorkView']; batch: string }) {
  const navigate = useNavigate()
  const stopped = view.state === 'stopped'
  return (
    <section role="status" className="border-l-4 border-success bg-base-100 px-5 py-4">
      <h2 className="text-2xl">{stopped ? 'Stopped' : view.work.donor ? 'Taken apart' : 'Done, and seen working'}</h2>
      <p className="my-1">
        {stopped
          ? `“${view.words}” The parts it had been promised are free again; the unit is back at Inspect.`
          : view.work.donor
            ? 'Its parts lie in stock or wait for the units they were promised to. The rest goes to the recycler.'
            : 'The unit waits for its last check.'}
      </p>
      <div className="flex gap-3 mt-2">
        {!stopped && !view.work.donor && <button className="btn btn-primary btn-bench" onClick={() => navigate(`/${batch}/release/${view.tag}`)}>To its last check <kbd>R</kbd></button>}
        <button className="btn btn-outline btn-bench" onClick={() => navigate(`/${batch}/fit`)}>Next work order <kbd>N</kbd></button>
      </div>
    </section>
  )
}

function NotAsWritten({ onStop, onCancel }: { onStop: (words: string) => void; onCancel: () => void }) {
  const [words, setWords] = useState('')
  return (
    <form className="my-3 border-2 border-accent bg-base-100 p-4" onSubmit={(event) => { event.preventDefault(); onStop(words) }} onKeyDown={(event) => { if (event.key === 'Escape') onCancel() }}>
      <label className="block mb-2">
        What is not as written? The order stops, its parts go back, the unit returns to Inspect.
        <input autoFocus className="input input-bordered w-full h-11" value={words} onChange={(event) => setWords(event.target.value)} placeholder="standoff torn out, slot 1 dead, ..." />
      </label>
      <button className="btn btn-primary btn-bench mr-3">Stop this order</button>
      <button type="button" className="btn btn-ghost btn-bench" onClick={onCancel}>Go on with it <kbd>Esc</kbd></button>
    </form>
  )
}

function Aside({ view }: { view: Schemas['WorkView'] }) {
  const { outcome } = view
  return (
    <aside className="border-l border-base-300 px-5 pt-4 pb-6 max-lg:border-l-0">
      <h2 className="mb-1">Fetch</h2>
      {view.fetch.length === 0 && <p className="quiet text-[0.9375rem]">Nothing to fetch.</p>}
      <ul>
        {view.fetch.map((part) => (
          <li key={part.for_place} className="rule-b py-2">
            <p className="font-semibold leading-tight">{part.label}</p>
            <p className="text-sm quiet">for {part.for_place}</p>
            <p className={`text-sm ${part.state === 'ready' ? '' : part.state === 'fitted' ? 'doneink' : 'fitink font-semibold'}`}>
              {part.state === 'ready' ? part.where : part.state === 'fitted' ? 'fitted' : `${part.state}: ${part.where}`}
            </p>
          </li>
        ))}
      </ul>
      <h2 className="mt-5 mb-1">As found, as it will be</h2>
      <Strip strip={view.found} size="line" />
      <Strip strip={view.planned} size="line" />
      <h2 className="mt-5 mb-1">What this leaves</h2>
      <table className="text-[0.9375rem] w-full">
        <tbody>
          {([
            ['price', outcome.price_cents],
            ['parts', -outcome.parts_cents],
            ['gives to others', outcome.gives_cents],
            ['labour', -outcome.labour_cents],
            ['fees', -outcome.fees_cents],
          ] as const).filter(([, cents]) => cents).map(([name, cents]) => (
            <tr key={name}><td>{name}</td><td className="text-right">{money(cents)}</td></tr>
          ))}
          <tr className="rule-t font-bold"><td>leaves</td><td className="text-right">{signed(outcome.contribution_cents)}</td></tr>
        </tbody>
      </table>
      <details className="mt-5 text-[0.9375rem]">
        <summary className="cursor-pointer">All {view.work.steps.length} steps as a list</summary>
        <ol className="list-decimal pl-6 mt-1">
          {view.work.steps.map((step, index) => <li key={step.key} className={index < view.done_steps ? 'line-through quiet' : ''}>{step.title}</li>)}
        </ol>
      </details>
    </aside>
  )
}
