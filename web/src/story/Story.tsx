import { useQuery } from '@tanstack/react-query'
import { useEffect } from 'react'
import { Link, useNavigate, useParams } from 'react-router'
import { type Schemas, api, ask } from '../api/client'
import { Stage, StoryKind } from '../api/vocabulary'
import { Strip } from '../drawings/strip/Strip'
import { ProblemNote } from '../frame/Problem'
import { placeOf } from '../frame/Stages'
import { useKeys } from '../frame/keys'
import { headingOf } from '../frame/vocabulary'
import { clock, count, day } from '../frame/words'

type Event = Schemas['StoryEvent']

const DAY_MS = 86_400_000

const waited = (from: string, to: string): string => {
  const days = Math.floor((Date.parse(to) - Date.parse(from)) / DAY_MS)
  return days >= 1 ? `${count(days, 'day')} later` : ''
}

/** One unit from manifest to label: a line of time, thick where hands were on it; what is next on top. */
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
  if (story.error) return <div className="page"><ProblemNote error={story.error} /><Link className="underline" to="/">All batches</Link></div>
  if (!unit) return null
  return (
    <article className="page max-w-5xl">
      <header className="flex flex-wrap items-start gap-x-6 gap-y-2 mb-4">
        <h1 className="tag text-3xl">{unit.tag}</h1>
        <p className="grow leading-snug"><b>{unit.model}</b> <span className="quiet">· serial <span className="font-mono">{unit.serial}</span> · <Link className="underline" to={`/${unit.batch}/inspect`}>{unit.batch_name}</Link></span></p>
        <p className="flex items-center gap-3 print:hidden">
          {unit.blocked && <b className="text-error">blocked: a danger is open</b>}
          <Link className="btn btn-primary btn-bench" to={next}>{over ? 'To its label' : `Next: ${headingOf('Stage', unit.stage)}`} <kbd>Enter</kbd></Link>
          <button type="button" className="btn btn-outline btn-bench" onClick={() => print()}>Print</button>
          <a className="quiet underline" href={`/api/units/${unit.tag}/story`}>JSON</a>
        </p>
      </header>
      <Strip strip={unit.strip} size="card" />
      <ol className="mt-5" aria-label="What happened to it">
        {unit.events.map((event, index) => <Happened key={`${index} ${event.at}`} tag={unit.tag} event={event} before={unit.events[index - 1]} last={index === unit.events.length - 1} />)}
      </ol>
    </article>
  )
}

function Happened({ tag, event, before, last }: { tag: string; event: Event; before: Event | undefined; last: boolean }) {
  const hands = event.hands
  const gap = before ? waited(before.at, event.at) : ''
  const danger = event.kind === StoryKind.DANGER
  return (
    <li className="grid grid-cols-[9.5rem_1.5rem_minmax(0,1fr)] max-sm:grid-cols-[5.5rem_1rem_minmax(0,1fr)] gap-x-3 break-inside-avoid">
      <p className="text-right quiet pt-0.5">{day(event.at)} {event.kind !== StoryKind.ANNOUNCED && clock(event.at)}{gap && <span className="block text-sm">{gap}</span>}</p>
      <div className="relative" aria-hidden="true">
        {!last && <span className={`absolute left-1/2 top-3 bottom-[-0.75rem] -translate-x-1/2 ${hands ? 'border-l-[5px] border-base-content' : 'border-l-2 border-dotted border-base-content'}`} />}
        <svg width="24" height="24" className="relative" aria-hidden="true">
          {danger ? <path d="M12 3 L21 19 H3 Z" fill="url(#strip-hazard)" stroke="var(--hazard)" strokeWidth="2" /> : <circle cx="12" cy="12" r={hands ? 7 : 5} fill={hands ? 'var(--ink)' : 'var(--ground)'} stroke="var(--ink)" strokeWidth="2" />}
        </svg>
      </div>
      <div className="pb-5">
        <p><b className={danger ? 'text-error' : ''}>{headingOf('StoryKind', event.kind)}</b> <span>{event.words}</span>{event.by && <span className="quiet"> · {event.by}</span>}</p>
        {event.strip && <div className="my-1.5"><Strip strip={event.strip} size="line" /></div>}
        {event.changes.length > 0 && (
          <ul>{event.changes.map((change) => <li key={change.place}>{change.label}: <span className="quiet">{change.was || 'no such place'}</span> → <b className="fitink">{change.now || 'no such place'}</b></li>)}</ul>
        )}
        {event.photo !== null && event.photo !== undefined && <img className="mt-1 max-h-44 border border-base-300" alt={event.words} src={`/api/units/${tag}/photos/${event.photo}.jpg`} />}
        {event.details.length > 0 && (event.details.length <= 3
          ? <ul className="quiet">{event.details.map((said) => <li key={said}>{said}</li>)}</ul>
          : <details><summary className="cursor-pointer quiet">{count(event.details.length, 'line')}</summary><ul className="quiet">{event.details.map((said, index) => <li key={`${index} ${said}`}>{said}</li>)}</ul></details>)}
      </div>
    </li>
  )
}
