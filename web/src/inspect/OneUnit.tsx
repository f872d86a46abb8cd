import { enqueue, takeBack, waitingOf } from '../frame/queue'
import { useQueryClient } from '@tanstack/react-query'
import { memo, useEffect, useRef, useState } from 'react'
import { Link, useLocation, useNavigate } from 'react-router'
import { type Problem, type Schemas, api, ask, problemOf } from '../api/client'
import { Strip } from '../drawings/strip/Strip'
import { ProblemNote } from '../frame/Problem'
import { useJump } from '../frame/ScanBox'
import { useScan, useScanKeeper } from '../frame/ScanListener'
import { useKeys } from '../frame/keys'
import { useOthers } from '../frame/live'
import { STRIP_KEYS } from '../drawings/strip/form'
import { WORD_MARK } from '../frame/scan'
import { clock, count } from '../frame/words'
import { Assessed } from './Assessed'
import { AnotherModel } from './AnotherModel'
import { BenchLine } from './BenchLine'
import { Compare } from './Compare'
import { HazardPanel } from './HazardPanel'
import { NoStart } from './NoStart'
import { Photos } from './Photos'
import { ReadOut } from './ReadOut'
import { TestRun } from './TestRun'
import { NewSheet } from '../sheets/NewSheet'
import { TouchKeys } from './TouchKeys'
import { dropDraft } from './drafts'
import { INSPECTION, sendInspection } from './sending'
import { unitsQuery } from './units'
import { inspectionQuery, useInspection } from './useInspection'
import { Mark, Stage, StripGroup } from '../api/vocabulary'
import { explained } from '../frame/vocabulary'

const PREFETCHED = 12
const FRESH = 2
/** The entry that stands for every part and test nobody wrote anything about. */
const REST = '*'
/** The place of a danger that is the unit's and no pack's. */
const UNIT = 'unit'

/** What can lie over the assessment, with the key that opens it from anywhere on the screen. */
const TOOLS = [
  ['line', 'Bench line', ';'],
  ['readout', 'Read-out', 'Alt O'],
  ['tests', 'Test run', 'Alt T'],
  ['search', 'Does not start', 'Alt N'],
  ['photos', 'Pictures', 'Alt P'],
] as const
type Tool = (typeof TOOLS)[number][0] | ''
const ALT_KEYS: Record<string, Tool> = { KeyO: 'readout', KeyT: 'tests', KeyN: 'search', KeyP: 'photos', KeyL: 'line' }

const focusOpenPlace = (): void => {
  const field = [...document.querySelectorAll<HTMLInputElement>('input[data-place]')].find((input) => !input.value)
  field?.focus()
}

/** One unit open for inspection: the strip is the form; line, read-out and the rest lie under it. */
export function OneUnit({ batch, tag, units }: { batch: string; tag: string; units: Schemas['UnitLine'][] }) {
  const open = useInspection(tag)
  const queries = useQueryClient()
  const navigate = useNavigate()
  const { search } = useLocation()
  const jump = useJump()
  const [problem, setProblem] = useState<Problem | null>(null)
  const [tool, setTool] = useState<Tool>('')
  const [caution, setCaution] = useState(false)
  const [renaming, setRenaming] = useState(false)
  /** What a bench line would make of the unit, while it is typed. */
  const [echo, setEcho] = useState<Schemas['LineView'] | null>(null)
  const [begun, setBegun] = useState('')
  const focusing = useRef<ReturnType<typeof setTimeout>>(undefined)
  const dropped = useRef<File | null>(null)
  const { view, reading } = open
  const ready = Boolean(view)

  useEffect(() => {
    if (ready) focusOpenPlace()
  }, [ready])
  // A place that had the focus may be gone with its trim; then the next one that waits has it.
  useEffect(() => {
    let held: Element | null = null
    const follow = (event: FocusEvent): void => { held = event.target instanceof HTMLElement && event.target.dataset.place !== undefined ? event.target : null }
    const watch = new MutationObserver(() => {
      if (!held || held.isConnected || document.activeElement !== document.body) return
      held = null
      focusOpenPlace()
    })
    addEventListener('focusin', follow)
    watch.observe(document.body, { childList: true, subtree: true })
    return () => { removeEventListener('focusin', follow); watch.disconnect() }
  }, [])
  useEffect(() => {
    // The units after this one are fetched ahead, so that they open without the network too.
    const here = units.findIndex((unit) => unit.tag === tag)
    units.slice(here + 1, here + 1 + PREFETCHED).forEach((unit, ahead) => {
      // The next two are fetched fresh; those behind them once, in case the network goes.
      if (ahead < FRESH || !queries.getQueryData(inspectionQuery(unit.tag).queryKey)) void queries.prefetchQuery(inspectionQuery(unit.tag))
    })
  }, [units, tag, queries])
  const showTool = (next: Tool): void => {
    setTool(next)
    setBegun('')
    setEcho(null)
    clearTimeout(focusing.current)
    if (!next) focusing.current = setTimeout(focusOpenPlace)
    // Single keys belong to what is open now, no longer to the place that was in focus.
    else if (document.activeElement instanceof HTMLElement) document.activeElement.blur()
  }
  const trims = view?.trims ?? []
  const { keptBy } = useOthers()
  useEffect(() => {
    const pressed = (event: KeyboardEvent): void => {
      if ((event.ctrlKey || event.metaKey) && event.key === 'z' && open.canUndo) {
        event.preventDefault()
        open.undo()
      }
      if (!event.altKey) return
      const next = ALT_KEYS[event.code]
      if (next) {
        event.preventDefault()
        showTool(next)
      } else if (event.code === 'KeyV' && trims.length > 1) {
        event.preventDefault()
        const at = trims.findIndex((one) => one.key === open.trim)
        open.setTrim(trims[(at + 1) % trims.length]?.key ?? open.trim)
      }
    }
    addEventListener('keydown', pressed)
    return () => removeEventListener('keydown', pressed)
  })

  useKeys('Inspect', [
    ...STRIP_KEYS.map(({ key, does }) => ({ key, does })),
    { key: '=', does: 'like most units of this model', off: view?.like && !view.blocked ? '' : 'none of them was inspected yet' },
    { key: 'Ctrl Z', does: 'take back the last thing typed', off: open.canUndo ? '' : 'nothing was typed yet' },
    ...TOOLS.map(([, words, keys]) => ({ key: keys, does: words })),
    { key: 'Alt V', does: 'another trim of the model', off: trims.length > 1 ? '' : 'the model has one trim' },
  ])
  useScanKeeper(open.keep)
  useScan((codes) => {
    const word = codes.find((one) => one.startsWith(WORD_MARK))
    if (!word || !view || view.blocked) return false
    showTool('line')
    setBegun(`${word} `)
    return true
  })

  const list = unitsQuery(batch, Stage.INSPECT).queryKey
  const goOn = (): void => {
    const here = units.findIndex((unit) => unit.tag === tag)
    const waiting = new Set(queries.getQueryData<Schemas['UnitLine'][]>(list)?.map((unit) => unit.tag))
    for (const sent of waitingOf(INSPECTION)) waiting.delete(sent.tag)
    const next = [...units.slice(here + 1), ...units.slice(0, Math.max(0, here))].find((unit) => !unit.blocked && waiting.has(unit.tag))
    navigate(next ? `/${batch}/inspect/${next.tag}${search}` : `/${batch}/inspect`)
  }
  const keep = async (enough: boolean, startedFrom = open.startedFrom, entries = open.entries, trim = open.trim): Promise<void> => {
    const body = { trim, entries, started_from: startedFrom, enough }
    try {
      const kept = await sendInspection(tag, body)
      dropDraft(tag)
      queries.setQueryData(['inspection', tag], kept)
      setProblem(null)
      open.replace(kept.entries, kept.number)
      // Gone from the list at once: the next unit is chosen before the server is asked again.
      if (kept.stage !== Stage.INSPECT) queries.setQueryData<Schemas['UnitLine'][]>(list, (old) => old?.filter((unit) => unit.tag !== tag))
      void queries.invalidateQueries({ queryKey: ['units', batch] })
      void queries.invalidateQueries({ queryKey: ['batch', batch] })
      void queries.invalidateQueries({ queryKey: ['dangers'] })
      // The next unit of this model begins from this one.
      void queries.invalidateQueries({ queryKey: ['inspection'], refetchType: 'none' })
      if (kept.blocked) setCaution(true)
      else goOn()
    } catch (error) {
      const refused = problemOf(error)
      if (refused.status === 0) {
        takeBack(INSPECTION, tag)
        enqueue(INSPECTION, tag, body)
        goOn()
        return
      }
      // A danger waits for no entry that the sheet refuses: that one is left out and typed again.
      const wrong = Object.keys((refused.facts.refusals as Record<string, string> | undefined) ?? {})
      const dangerous = Object.entries(entries).some(([place, text]) => text.startsWith('!') && !wrong.includes(place))
      if (dangerous && wrong.length) await keep(enough, startedFrom, Object.fromEntries(Object.entries(entries).filter(([place]) => !wrong.includes(place))), trim)
      else setProblem(refused)
    }
  }
  const type = (key: string, text: string): void => {
    open.type({ [key]: text })
    const cell = reading?.strip.cells.find((other) => other.key === key)
    if (text === '!' && cell?.group === StripGroup.PACK) void keep(false, open.startedFrom, { ...open.entries, [key]: text })
  }
  const danger = (): void => {
    open.type({ [UNIT]: '!' })
    void keep(false, open.startedFrom, { ...open.entries, [UNIT]: '!' })
  }
  const takeBackDanger = async (): Promise<void> => {
    try {
      const safe = await ask(api.DELETE('/api/units/{tag}/hazard', { params: { path: { tag } } }))
      setCaution(false)
      setProblem(null)
      queries.setQueryData(['inspection', tag], safe)
      open.replace(safe.entries, safe.number)
      void queries.invalidateQueries()
    } catch (error) {
      setProblem(problemOf(error))
    }
  }
  const takeOver = (entries: Record<string, string>, trim?: string): void => {
    open.takeOver(entries, trim)
    showTool('')
  }

  if (open.lost) return <ProblemNote error={open.lost} />
  if (!view || !reading) return <p className="quiet">Opening {tag} …</p>
  const like = view.blocked ? null : view.like
  // The trim comes along unless somebody chose one here; then only what that trim has is taken over.
  const chosen = !like || (open.trim !== view.trim && open.trim !== like.trim)
  const places = reading.strip.cells.map((cell) => cell.key)
  const stays = chosen ? places : like.strip.cells.map((cell) => cell.key)
  const same = (): void => {
    if (!like) return
    const taken = Object.entries(like.entries).filter(([place]) => !chosen || places.includes(place))
    open.takeOver({ ...Object.fromEntries(taken), ...open.entries }, chosen ? open.trim : like.trim)
  }
  const waiting = units.filter((unit) => unit.sheet === view.sheet).length
  const refusals = Object.entries(reading.refusals)
  const unseen = reading.strip.cells.filter((cell) => cell.mark === Mark.UNSEEN).length
  const shown = echo?.reading ?? reading
  // What takes a bench screen of its own leaves the strip as a drawing above it.
  const compact = tool !== '' && tool !== 'line'
  const failed = open.entries.starts === 'x'
  const named = !view.sheet_written
  return (
// biome-ignore lint/a11y/noStaticElementInteractions: a file may be dropped anywhere; Alt+O and Alt+P do the same
    <div
      onDragOver={(event) => event.preventDefault()}
      onDrop={(event) => {
        event.preventDefault()
        const file = event.dataTransfer.files[0]
        if (!file) return
        dropped.current = file
        showTool(file.name.endsWith('.zip') ? 'readout' : 'photos')
      }}
    >
      <header className="flex flex-wrap items-start gap-x-5 gap-y-1 mb-3">
        <h1 className="tag text-3xl">{view.tag}</h1>
        <StoryLink tag={view.tag} />
        <div className="grow basis-80 min-w-0">
          <p><b>{view.model}</b>, sheet {view.sheet_version} {!view.blocked && <button type="button" className="underline quiet text-sm" onClick={() => setRenaming(!renaming)}>another model</button>} · serial <span className="font-mono">{view.serial}</span>{[view.back_for, view.notes].filter(Boolean).map((said) => <span key={said} className="fitink"> · {said}</span>)}</p>
          <p className="quiet text-note"><span className="max-xl:hidden">{view.summary} </span>{waiting > 1 && `${waiting} of this model wait.`}</p>
          <Trims view={view} trim={open.trim} onChange={open.setTrim} />
        </div>
        <p role="status" className="quiet text-sm text-right max-lg:text-left shrink-0">
          {keptBy ? <b className="fitink">{keptBy} kept it meanwhile</b> : !open.connected ? 'not connected, kept on this device' : open.drafted ? 'not kept yet' : view.kept ? <>kept {clock(view.kept.at)} by {view.kept.by}</> : 'nobody has looked yet'}
          <span className="block">{unseen ? `${count(unseen, 'place')} not looked at` : 'everything looked at'}</span>
        </p>
      </header>
      {renaming && (
        <AnotherModel
          view={view}
          onChanged={(changed, left) => {
            setRenaming(false)
            setProblem(left.length ? { title: 'Left out, the new sheet has no place for it', status: 0, detail: left.join(' '), facts: {} } : null)
            queries.setQueryData(['inspection', tag], changed)
            open.replace(changed.entries, changed.number)
            void queries.invalidateQueries({ queryKey: ['units', batch] })
          }}
          onLeave={() => setRenaming(false)}
        />
      )}
      <HazardPanel
        view={view}
        full={caution}
        onKind={(letter) => {
          const place = Object.entries(open.entries).find(([, text]) => text.startsWith('!'))?.[0] ?? UNIT
          void keep(false, open.startedFrom, { ...open.entries, [place]: `!${letter}` })
        }}
        onAside={() => { setCaution(false); goOn() }}
        onTakeBack={() => void takeBackDanger()}
        onChange={(changed) => { setCaution(false); queries.setQueryData(['inspection', tag], changed); open.replace(changed.entries, changed.number); void queries.invalidateQueries() }}
      />
      {problem && problem.status === 409 ? (
        <Compare problem={problem} mine={open.entries} onMine={(number) => void keep(false, number)} onTheirs={(entries, number) => { open.replace(entries, number); setProblem(null) }} />
      ) : problem && <div role="alert" className="border-l-4 border-accent bg-base-100 px-4 py-2 mb-3"><b>{problem.title}.</b> {problem.detail}</div>}
      {named && (
        <section aria-label="Its sheet" className="border-l-4 border-accent bg-base-100 px-4 py-3 mb-3">
          <p className="mb-2"><b>Only the name of {view.model} is known.</b> {waiting > 1 ? `${waiting} units wait for its sheet.` : 'It waits for its sheet.'} Write it from the nearest one{view.readout ? ' or from what the unit says of itself' : ''}: eight questions, a few minutes. A danger and pictures can be noted now.</p>
          <NewSheet name={view.model} near="" {...(view.readout ? { tag: view.tag } : {})} onMade={(key) => navigate(`/${batch}/sheets/${key}?write=1`)} />
        </section>
      )}
      {!compact && like && view.number === 0 && Object.keys(like.entries).some((place) => !open.entries[place]) && (
        <p className="mb-2 flex items-center gap-3 text-note">
          <kbd>=</kbd> <span>like <span className="tag">{like.tag}</span>{like.of > 1 && ` and ${like.held_by - 1} more of ${like.of} before it`}</span>
          <span className="max-lg:hidden"><Strip strip={like.strip} size="line" /></span>
          <button type="button" className="btn btn-outline btn-sm pointer-coarse:btn-bench" onClick={same}>All the same</button>
        </p>
      )}
      {compact && <Strip size="card" strip={shown.strip} />}
      {!compact && !named && <Strip
        size="bench"
        strip={shown.strip}
        entries={echo?.entries ?? open.entries}
        like={like?.entries ?? {}}
        stays={stays}
        refusals={reading.refusals}
        disabled={view.blocked}
        onType={type}
        onAllThere={() => open.type({ [REST]: '+' })}
        onKeep={(enough) => void keep(enough)}
        onScan={(scanned) => void jump(scanned)}
        onSame={same}
        onDanger={danger}
        onLine={() => showTool('line')}
      />}
      <div className={`sticky bottom-0 z-10 bg-base-200 pt-1 mt-1 mb-1 pb-1 rule-t ${compact || named ? 'hidden' : ''}`}>
        {tool === 'line' && (
          <BenchLine
            key={tag}
            tag={tag}
            trim={open.trim}
            entries={open.entries}
            onTake={(entries, trim) => open.takeOver(entries, trim)}
            onKeep={(entries, trim, enough) => void keep(enough, open.startedFrom, entries, trim)}
            onUndo={open.undo}
            onEcho={setEcho}
            onClose={() => showTool('')}
            begun={begun}
            sheet={view.sheet}
          />
        )}
        <div className="flex max-lg:flex-wrap items-start justify-end gap-3">
          {!compact && !named && <TouchKeys strip={reading.strip} disabled={view.blocked} onType={type} onAllThere={() => open.type({ [REST]: '+' })} />}
          <div className="grow basis-64 pointer-coarse:basis-0 min-w-0 min-h-11" aria-live="polite">
            {refusals.map(([key, sentence]) => <p key={key} id={`refusal-${key}`} className="fitink font-semibold">{sentence}</p>)}
            {reading.assessment.questions.map((question) => <p key={question.sentence} className="fitink">{question.sentence}</p>)}
            {refusals.length === 0 && tool !== 'line' && <FocusHelp strip={reading.strip} />}
          </div>
          <button type="button" className="btn btn-outline btn-bench" disabled={view.blocked} onClick={() => void keep(true)} title="Decide with what was seen; the rest stays unknown">Enough seen <kbd className="pointer-coarse:hidden">⇧ Enter</kbd></button>
          <button type="button" className="btn btn-primary btn-bench" disabled={view.blocked} onClick={() => void keep(false)}>Keep, next <kbd className="pointer-coarse:hidden">Ctrl Enter</kbd></button>
        </div>
      </div>
      <div className="flex flex-wrap items-center gap-1 mb-2 -mx-2" role="toolbar" aria-label="Ways to log this unit">
        {TOOLS.map(([key, words, keys]) => (
          <button type="button" key={key} aria-pressed={tool === key} disabled={(view.blocked && key !== 'photos') || (named && key !== 'photos' && key !== 'readout')} className={`btn btn-sm px-2 pointer-coarse:btn-bench font-normal ${tool === key ? 'btn-neutral' : 'btn-ghost'} ${key === 'search' && failed ? 'fitink font-semibold' : ''}`} onClick={() => showTool(tool === key ? '' : key)}>
            {words}{key === 'photos' && view.photos.length > 0 && ` ${view.photos.length}`} <kbd>{keys}</kbd>
          </button>
        ))}
        <button type="button" className="btn btn-ghost btn-sm px-2 pointer-coarse:btn-bench font-normal text-error" disabled={view.blocked} onClick={danger}>Danger <kbd>!</kbd></button>
        <span className="grow" />
        {open.canUndo && <button type="button" className="btn btn-ghost btn-sm font-normal" onClick={open.undo}>Undo <kbd>Ctrl Z</kbd></button>}
      </div>
      {tool === 'readout' && <ReadOut tag={tag} trim={open.trim} entries={open.entries} taken={view.readout} dropped={dropped} onTake={(entries) => takeOver({ ...open.entries, ...entries })} onOne={(place, text) => open.type({ [place]: text })} onClose={() => showTool('')} />}
      {tool === 'tests' && <TestRun cells={reading.strip.cells.filter((cell) => cell.group === StripGroup.TEST)} repairs={view.repairs} onType={(key, text) => open.type({ [key]: text })} onAll={() => open.type({ [REST]: '+' })} onClose={() => showTool('')} onSearch={() => showTool('search')} />}
      {tool === 'search' && <NoStart tag={tag} trim={open.trim} entries={open.entries} onTake={(entries) => takeOver({ ...open.entries, ...entries })} onClose={() => showTool('')} />}
      {tool === 'photos' && <Photos view={view} dropped={dropped} onChange={(changed) => queries.setQueryData(['inspection', tag], changed)} onClose={() => showTool('')} />}
      {!tool && failed && <p className="mb-2 fitink">It does not start. That is not yet a bad pack or board: <button type="button" className="underline" onClick={() => showTool('search')}>search why</button> <kbd>Alt N</kbd></p>}
      {tool !== 'readout' && tool !== 'search' && !named && <Assessed assessment={shown.assessment} seals={view.seals} />}
    </div>
  )
}

/** Drawn once for a unit: a link looks at the address anew each time. */
const StoryLink = memo(function StoryLink({ tag }: { tag: string }) {
  return <Link className="underline quiet pt-1" to={`/unit/${tag}`}>story</Link>
})

/** Which variant of the model this unit is; it decides which places there are. */
function Trims({ view, trim, onChange }: { view: Schemas['InspectionView']; trim: string; onChange: (trim: string) => void }) {
  if (view.trims.length < 2) return null
  return (
    <fieldset className="flex gap-4 mt-1 text-note">
      <legend className="sr-only">Trim</legend>
      {view.trims.map((one) => (
        <label key={one.key} className={`flex items-center gap-1.5 ${one.key === trim ? 'font-semibold' : 'quiet'}`}>
          <input type="radio" className="radio radio-xs" name="trim" checked={trim === one.key} onChange={() => onChange(one.key)} />
          {one.label}
        </label>
      ))}
      <kbd className="self-center">Alt V</kbd>
    </fieldset>
  )
}

/** What can be typed into the place in focus. */
function FocusHelp({ strip }: { strip: Schemas['Strip'] }) {
  const [cell, setCell] = useState<Schemas['StripCell'] | undefined>(strip.cells[0])
  useEffect(() => {
    const focused = (event: FocusEvent): void => {
      const key = (event.target as HTMLElement).dataset?.place
      const focusedCell = strip.cells.find((other) => other.key === key)
      if (focusedCell) setCell(focusedCell)
    }
    addEventListener('focusin', focused)
    return () => removeEventListener('focusin', focused)
  }, [strip])
  const takes = cell?.accepts.length ? `${cell.accepts.join(' · ')} · ? · ${cell.words}` : explained('StripGroup', cell?.group ?? StripGroup.MEMORY)
  return <p id="strip-help" className="quiet text-note pointer-coarse:sr-only">← → walk · Enter goes on · {takes}</p>
}
