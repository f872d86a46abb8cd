import { useQuery } from '@tanstack/react-query'
import { useEffect } from 'react'
import { Link, useNavigate, useParams } from 'react-router'
import { type Schemas, api, ask, lostOf } from '../api/client'
import { Stage, StoryKind, StripGroup } from '../api/vocabulary'
import { Strip, layOut } from '../drawings/strip/Strip'
import { ProblemNote } from '../frame/Problem'
import { placeOf } from '../frame/Stages'
import { useKeys } from '../frame/keys'
import { headingOf } from '../frame/vocabulary'
import { clock, count, day, hours } from '../frame/words'

type Event = Schemas['StoryEvent']
type Unit = Schemas['StoryView']
type Changes = Set<string>

const HOUR = 60
const DAY = 24 * HOUR

const waited = (minutes: number): string => {
  if (minutes < 5) return ''
  if (minutes < 2 * HOUR) return `waited ${minutes} min`
  return minutes < 2 * DAY ? `waited ${Math.round(minutes / HOUR)} h` : `waited ${count(Math.round(minutes / DAY), 'day')}`
}

/** One unit from manifest to sale: its strip through time, thick where hands were on it; what is next on top. */
export function Story() {
  const { tag = '' } = useParams()
  const navigate = useNavigate()
  const story = useQuery({ queryKey: ['story', tag], queryFn: () => ask(api.GET('/api/units/{tag}/story', { params: { path: { tag } } })) })
  const unit = story.data
  const next = unit ? placeOf(unit.batch, unit.stage, unit.tag) : ''
  const over = unit?.stage === Stage.RELEASED
  useEffect(() => {
    if (unit) document.title = `${unit.tag}, its story · Sortis`
  }, [unit])
  useKeys('Story', [
    { key: 'Enter', does: over ? 'to its label' : 'go on with what is next for it', act: () => navigate(next), off: unit ? '' : 'it is not open yet' },
  ])
  if (lostOf(story)) return <div className="page"><ProblemNote error={story.error} /><Link className="underline" to="/">All batches</Link></div>
  if (!unit) return null
  return (
    <article className="page">
      <header className="flex flex-wrap items-start gap-x-6 gap-y-2 mb-3">
        <h1 className="tag text-4xl">{unit.tag}</h1>
        <p className="grow leading-snug"><b>{unit.model}</b><br /><span className="quiet">serial <span className="font-mono">{unit.serial}</span> · <Link className="underline" to={`/${unit.batch}/inspect`}>{unit.batch_name}</Link></span></p>
        <Sum figure={count(unit.days_here, 'day')} of="in the house" />
        {unit.bench_minutes > 0 && <Sum figure={unit.bench_minutes < 2 * HOUR ? `${unit.bench_minutes} min` : hours(unit.bench_minutes)} of="of hands at the bench" />}
      </header>
      <section className="flex flex-wrap items-center gap-x-4 gap-y-2 bg-base-100 border-l-4 border-accent px-4 py-2.5 mb-4 print:hidden" aria-label="What is next">
        {unit.blocked ? <b className="text-error">Blocked: a danger is open</b> : <><b className="fitink text-lg">Next</b> <b className="text-lg">{over ? 'It is released: its label and its sale' : headingOf('Stage', unit.stage)}</b></>}
        <span className="grow" />
        <button type="button" className="btn btn-ghost btn-bench" onClick={() => print()}>Print</button>
        <a className="quiet underline" href={`/api/units/${unit.tag}/story`}>as data</a>
        <Link className="btn btn-primary btn-bench" to={next}>{over ? 'To its label' : headingOf('Stage', unit.stage)} <kbd>Enter</kbd></Link>
      </section>
      <Way unit={unit} />
    </article>
  )
}

function Sum({ figure, of }: { figure: string; of: string }) {
  return <p className="text-right leading-tight"><b className="text-xl block">{figure}</b><span className="quiet text-sm">{of}</span></p>
}

/** What was done between two drawings of a unit: which places changed until the next one. */
interface Row {
  events: Event[]
  span: Schemas['ChapterSpan']
  strip: Schemas['Strip'] | null
  /** Places that are another way at the next drawing; null after the last one. */
  next: Changes | null
  /** The next chapter has a drawing: the arrows end there. */
  arrives: boolean
}

const rowsOf = (unit: Unit): Row[] => {
  const parts = unit.chapters.map((span) => {
    const events = unit.events.slice(span.first, span.first + span.count)
    const strip = events.filter((event) => event.strip).at(-1)?.strip ?? null
    return { span, events, strip, changes: new Set(events.flatMap((event) => event.changes.map((change) => change.place))) }
  })
  let drawn: { at: number; changes: Changes } | null = null
  const rows: Row[] = []
  for (let at = parts.length - 1; at >= 0; at -= 1) {
    const { span, events, strip, changes } = parts[at] as (typeof parts)[number]
    rows.unshift({ span, events, strip, next: drawn?.changes ?? null, arrives: drawn?.at === at + 1 })
    if (strip) drawn = { at, changes }
  }
  return rows
}

/** The strip falls through time: each place its own lane, an arrow where it became another. */
function Way({ unit }: { unit: Unit }) {
  const rows = rowsOf(unit)
  const first = rows.findIndex((row) => row.strip)
  return (
    <ol className="border-t border-base-300 mb-8" aria-label="What happened to it">
      {rows.map((row, at) => (
        <Chapter key={row.span.first} tag={unit.tag} row={row} lanes={first >= 0 && at >= first ? lastStrip(rows, at) : null} last={at === rows.length - 1} />
      ))}
    </ol>
  )
}

const lastStrip = (rows: Row[], at: number): Schemas['Strip'] | null => rows.slice(0, at + 1).findLast((row) => row.strip)?.strip ?? null

function Chapter({ tag, row, lanes, last }: { tag: string; row: Row; lanes: Schemas['Strip'] | null; last: boolean }) {
  const { span, events } = row
  const from = events[0] as Event
  const hands = events.some((event) => event.hands)
  const gap = waited(span.waited_minutes)
  const people = [...new Set(events.map((event) => event.by).filter(Boolean))]
  return (
    <li className="grid grid-cols-[8rem_1.25rem_auto_minmax(0,1fr)] max-lg:grid-cols-[5.5rem_1rem_minmax(0,1fr)] gap-x-4 break-inside-avoid">
      <p className="text-right quiet pt-3 leading-snug max-lg:row-span-2">
        {gap && <span className="block text-sm">{gap}</span>}
        {day(from.at)}{from.kind !== StoryKind.ANNOUNCED && <span className="block font-mono text-base-content">{clock(from.at)}</span>}
      </p>
      <div className="relative max-lg:row-span-2" aria-hidden="true">
        <span className={`absolute left-1/2 -translate-x-1/2 top-0 h-3 ${span.waited_minutes >= 5 ? 'border-l-2 border-dotted border-base-content' : ''}`} />
        <span className={`absolute left-1/2 -translate-x-1/2 top-3 bottom-1 rounded-full ${hands ? 'w-2.5 bg-base-content' : 'w-2.5 border-2 border-base-content bg-base-100'}`} />
        {!last && <span className="absolute left-1/2 -translate-x-1/2 bottom-0 h-1 border-l-2 border-dotted border-base-content" />}
      </div>
      <div className="relative w-[27rem] max-lg:col-start-3 max-lg:w-auto overflow-hidden">
        {row.strip && <div className="pt-2.5"><Strip strip={row.strip} size="card" /></div>}
        {lanes && row.next && <Lanes strip={lanes} changes={row.next} under={Boolean(row.strip)} arrives={row.arrives} />}
      </div>
      <div className="py-2.5 border-b border-base-300 max-lg:col-start-3 min-w-0">
        <h2 className="inline text-lg font-bold">{headingOf('Chapter', span.chapter)}</h2>
        {people.length > 0 && <span className="quiet"> {people.join(', ')}</span>}
        <ul>{events.map((event, index) => <Happened key={`${index} ${event.at}`} tag={tag} event={event} alone={people.length < 2} />)}</ul>
      </div>
    </li>
  )
}

/** From each place down to the next drawing of it: a quiet line, or an arrow where it became another. */
function Lanes({ strip, changes, under, arrives }: { strip: Schemas['Strip']; changes: Changes; under: boolean; arrives: boolean }) {
  const { places, height } = layOut(strip, 'card')
  const parts = places.filter(({ cell }) => cell.group === StripGroup.PART)
  const large = places.filter(({ cell }) => cell.group !== StripGroup.PART)
  const lanes = large.map(({ cell, x, width }) => ({ key: cell.key, at: x + width / 2, changed: changes.has(cell.key) }))
  const [left, right] = [parts[0], parts.at(-1)]
  // The pegs stand close: one lane for all of them, and anything beside the strip that changed.
  if (left && right) lanes.push({ key: 'parts', at: (left.x + right.x + right.width) / 2, changed: [...changes].some((place) => !large.some(({ cell }) => cell.key === place)) })
  return (
    <div className="absolute inset-x-0 bottom-0 print:hidden max-lg:hidden" style={{ top: under ? height + 12 : 0 }} aria-hidden="true">
      {lanes.map(({ key, at, changed }) => (
        <span key={key} className={`absolute top-0 ${changed && arrives ? 'bottom-1' : '-bottom-2.5'} ${changed ? 'w-0.5 bg-accent' : 'w-0.5 bg-base-300'}`} style={{ left: at - 1 }}>
          {changed && arrives && <svg width="12" height="8" className="absolute -left-[5px] -bottom-1" aria-hidden="true"><path d="M0 0 h12 L6 8 Z" fill="var(--fit)" /></svg>}
        </span>
      ))}
    </div>
  )
}

function Happened({ tag, event, alone }: { tag: string; event: Event; alone: boolean }) {
  const danger = event.kind === StoryKind.DANGER
  const worst = danger || event.kind === StoryKind.SURPRISE
  return (
    <li className="leading-snug mt-0.5">
      <p>
        {danger && <svg width="18" height="16" className="inline mr-1" aria-hidden="true"><path d="M9 1 L17 15 H1 Z" fill="url(#strip-hazard)" stroke="var(--hazard)" strokeWidth="2" /></svg>}
        <span className={danger ? 'text-error font-bold' : worst ? 'fitink font-bold' : 'quiet'}>{headingOf('StoryKind', event.kind)}</span> {event.words}
        {!alone && event.by && <span className="quiet"> · {event.by}</span>}
      </p>
      {event.changes.length > 0 && (
        <ul className="pl-4">{event.changes.map((change) => <li key={change.place}>{change.label}: <span className="quiet">{change.was || 'no such place'}</span> → <b className="fitink">{change.now || 'no such place'}</b></li>)}</ul>
      )}
      {event.photo !== null && event.photo !== undefined && <img className="mt-1 max-h-44 border border-base-300" alt={event.words} src={`/api/units/${tag}/photos/${event.photo}.jpg`} />}
      {event.details.length > 0 && (event.details.length <= 3
        ? <ul className="quiet pl-4">{event.details.map((said) => <li key={said}>{said}</li>)}</ul>
        : <details className="pl-4"><summary className="cursor-pointer quiet">{count(event.details.length, 'line')}</summary><ul className="quiet">{event.details.map((said, index) => <li key={`${index} ${said}`}>{said}</li>)}</ul></details>)}
    </li>
  )
}
