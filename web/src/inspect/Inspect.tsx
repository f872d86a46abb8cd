import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import { Navigate, useLocation, useNavigate, useParams } from 'react-router'
import { type Problem, type Schemas, api, ask, problemOf } from '../api/client'
import { helpFor } from '../drawings/strip/BenchStrip'
import { Strip } from '../drawings/strip/Strip'
import { ProblemNote } from '../frame/Problem'
import { useJump } from '../frame/ScanBox'
import { UnitRail } from '../frame/UnitRail'
import { clock, count } from '../frame/words'
import { Compare } from './Compare'
import { HazardPanel } from './HazardPanel'
import { Standards } from './Standards'
import { dropDraft, outbox, setOutbox } from './drafts'
import { sendInspection } from './outbox'
import { inspectionQuery, useInspection } from './useInspection'

const PREFETCHED = 12
/** The entry that stands for every part and test nobody wrote anything about. */
const REST = '*'

export const unitsQuery = (slug: string, stage: string) => ({
  queryKey: ['units', slug, stage],
  queryFn: () => ask(api.GET('/api/batches/{slug}/units', { params: { path: { slug }, query: { stage } } })),
})

/** Inspect: the units that wait, and one of them open on its sheet. */
export function Inspect() {
  const { batch = '', tag = '' } = useParams()
  const waiting = useQuery(unitsQuery(batch, 'inspect'))
  const { search } = useLocation()
  const units = waiting.data ?? []
  const first = units.find((unit) => !unit.blocked && !unit.inspected) ?? units[0]
  if (!tag && first) return <Navigate replace to={`/${batch}/inspect/${first.tag}${search}`} />
  return (
    <div className="grow flex">
      <UnitRail heading={`${units.length} to inspect, in pallet order`} units={units} current={tag} to={(other) => `/${batch}/inspect/${other}`} />
      <div className="grow min-w-0 px-7 pt-4 pb-6">
        <ProblemNote error={waiting.error} />
        {tag ? (
          <OneUnit key={tag} batch={batch} tag={tag} units={units} />
        ) : (
          waiting.data && <p className="text-lg mt-6">Every unit of this batch that was counted in is inspected. Count more in under Arrive, or go on to Decide.</p>
        )}
      </div>
    </div>
  )
}

function OneUnit({ batch, tag, units }: { batch: string; tag: string; units: Schemas['UnitLine'][] }) {
  const open = useInspection(tag)
  const queries = useQueryClient()
  const navigate = useNavigate()
  const { search } = useLocation()
  const jump = useJump()
  const [problem, setProblem] = useState<Problem | null>(null)
  const { view, reading } = open
  const ready = Boolean(view)

  useEffect(() => {
    if (!ready) return
    const field = [...document.querySelectorAll<HTMLInputElement>('input[data-place]')].find((input) => !input.value)
    field?.focus()
  }, [ready])
  useEffect(() => {
    // The units after this one are fetched ahead, so that they open without the network too.
    const here = units.findIndex((unit) => unit.tag === tag)
    for (const unit of units.slice(here + 1, here + 1 + PREFETCHED)) void queries.prefetchQuery(inspectionQuery(unit.tag))
  }, [units, tag, queries])

  const list = unitsQuery(batch, 'inspect').queryKey
  const goOn = (): void => {
    const here = units.findIndex((unit) => unit.tag === tag)
    const waiting = new Set(queries.getQueryData<Schemas['UnitLine'][]>(list)?.map((unit) => unit.tag))
    for (const sent of outbox()) waiting.delete(sent.tag)
    const next = [...units.slice(here + 1), ...units.slice(0, Math.max(0, here))].find((unit) => !unit.blocked && waiting.has(unit.tag))
    navigate(next ? `/${batch}/inspect/${next.tag}${search}` : `/${batch}/inspect`)
  }
  const keep = async (enough: boolean, startedFrom = open.startedFrom, entries = open.entries): Promise<void> => {
    const body = { tag, trim: open.trim, entries, started_from: startedFrom, enough }
    try {
      const kept = await sendInspection(body)
      dropDraft(tag)
      queries.setQueryData(['inspection', tag], kept)
      setProblem(null)
      open.replace(kept.entries, kept.number)
      // Gone from the list at once: the next unit is chosen before the server is asked again.
      if (kept.stage !== 'inspect') queries.setQueryData<Schemas['UnitLine'][]>(list, (old) => old?.filter((unit) => unit.tag !== tag))
      void queries.invalidateQueries({ queryKey: ['units', batch] })
      void queries.invalidateQueries({ queryKey: ['batch', batch] })
      if (!kept.blocked) goOn()
    } catch (error) {
      const refused = problemOf(error)
      if (refused.status === 0) {
        setOutbox([...outbox().filter((other) => other.tag !== tag), body])
        goOn()
      } else setProblem(refused)
    }
  }
  const type = (key: string, text: string): void => {
    open.type({ [key]: text })
    const cell = reading?.strip.cells.find((other) => other.key === key)
    if (text === '!' && cell?.group === 'pack') void keep(false, open.startedFrom, { ...open.entries, [key]: text })
  }

  if (open.error) return <ProblemNote error={open.error} />
  if (!view || !reading) return <p className="quiet">Opening {tag} …</p>
  const same = units.filter((unit) => unit.sheet === view.sheet).length
  const refusals = Object.entries(reading.refusals)
  const unseen = reading.strip.cells.filter((cell) => cell.mark === 'unseen').length
  return (
    <>
      <header className="flex items-start gap-5 mb-3">
        <h1 className="tag text-3xl">{view.tag}</h1>
        <div className="grow min-w-0">
          <p><b>{view.model}</b>, sheet {view.sheet_version} · serial <span className="font-mono">{view.serial}</span>{view.notes && <span className="fitink"> · {view.notes}</span>}</p>
          <p className="quiet text-[0.9375rem] truncate" title={view.summary}>{view.summary} {same > 1 && `${same} of this model wait.`}</p>
          <Trims view={view} trim={open.trim} onChange={open.setTrim} />
        </div>
        <p role="status" className="quiet text-sm text-right shrink-0">
          {!open.connected ? 'not connected, kept on this device' : open.drafted ? 'not kept yet' : view.kept ? <>kept {clock(view.kept.at)} by {view.kept.by}</> : 'nobody has looked yet'}
        </p>
      </header>
      <HazardPanel view={view} onChange={(changed) => { queries.setQueryData(['inspection', tag], changed); open.replace(changed.entries, changed.number); void queries.invalidateQueries() }} />
      {problem && problem.status === 409 ? (
        <Compare problem={problem} mine={open.entries} onMine={(number) => void keep(false, number)} onTheirs={(entries, number) => { open.replace(entries, number); setProblem(null) }} />
      ) : problem && <div role="alert" className="border-l-4 border-accent bg-base-100 px-4 py-2 mb-3"><b>{problem.title}.</b> {problem.detail}</div>}
      <Strip
        size="bench"
        strip={reading.strip}
        entries={open.entries}
        refusals={reading.refusals}
        disabled={view.blocked}
        onType={type}
        onAllThere={() => open.type({ [REST]: '+' })}
        onKeep={(enough) => void keep(enough)}
        onScan={(scanned) => void jump(scanned)}
      />
      <div className="min-h-8 mt-2" aria-live="polite">
        {refusals.map(([key, sentence]) => <p key={key} id={`refusal-${key}`} className="fitink font-semibold">{sentence}</p>)}
        {reading.assessment.questions.map((question) => <p key={question.sentence} className="fitink">{question.sentence}</p>)}
        {refusals.length === 0 && <FocusHelp strip={reading.strip} />}
      </div>
      <div className="flex items-center gap-4 rule-t py-2 mb-1">
        <div className="grow">
          <p>{reading.assessment.sentences.join(' ')}</p>
          {view.seals.map((seal) => <p key={seal} className="quiet text-[0.9375rem]">{seal}</p>)}
        </div>
        <div className="shrink-0 text-right">
          <div className="flex gap-2">
            <button className="btn btn-outline btn-bench" disabled={view.blocked} onClick={() => void keep(true)} title="Decide with what was seen; the rest stays unknown">Enough seen <kbd>⇧ Enter</kbd></button>
            <button className="btn btn-primary btn-bench" disabled={view.blocked} onClick={() => void keep(false)}>Keep, next <kbd>Ctrl Enter</kbd></button>
          </div>
          <p className="quiet text-sm mt-1">{unseen ? `${count(unseen, 'place')} not looked at` : 'everything looked at'}</p>
        </div>
      </div>
      <Standards verdicts={reading.assessment.verdicts} />
    </>
  )
}

/** Which variant of the model this unit is; it decides which places there are. */
function Trims({ view, trim, onChange }: { view: Schemas['InspectionView']; trim: string; onChange: (trim: string) => void }) {
  if (view.trims.length < 2) return null
  return (
    <fieldset className="flex gap-4 mt-1 text-[0.9375rem]">
      <legend className="sr-only">Trim</legend>
      {view.trims.map((one) => (
        <label key={one.key} className={`flex items-center gap-1.5 ${one.key === trim ? 'font-semibold' : 'quiet'}`}>
          <input type="radio" className="radio radio-xs" name="trim" checked={trim === one.key} onChange={() => onChange(one.key)} />
          {one.label}
        </label>
      ))}
    </fieldset>
  )
}

/** What can be typed into the place in focus. */
function FocusHelp({ strip }: { strip: Schemas['Strip'] }) {
  const [group, setGroup] = useState<Schemas['StripCell']['group']>('memory')
  useEffect(() => {
    const focused = (event: FocusEvent): void => {
      const key = (event.target as HTMLElement).dataset?.place
      const cell = strip.cells.find((other) => other.key === key)
      if (cell) setGroup(cell.group)
    }
    addEventListener('focusin', focused)
    return () => removeEventListener('focusin', focused)
  }, [strip])
  return <p id="strip-help" className="quiet text-[0.9375rem]">← → walk · Enter goes on · {helpFor(group)}</p>
}
