import { useEffect, useRef, useState } from 'react'
import { type Schemas, api, ask } from '../api/client'
import { ProblemNote } from '../frame/Problem'
import { clock, day, workshop } from '../frame/words'
import { entryWords, labelOf } from '../frame/vocabulary'

interface Props {
  view: Schemas['InspectionView']
  /** Just seen: the caution fills the screen until somebody acts on it. */
  full: boolean
  onKind: (letter: string) => void
  onAside: () => void
  /** Pressed by mistake: for a minute, by whoever pressed it. */
  onTakeBack: () => void
  onChange: (view: Schemas['InspectionView']) => void
}

/** Letters that name a danger, with what they stand for. */
const kinds = (): [string, string][] =>
  [...entryWords('pack'), ...entryWords('unit')]
    .filter((entry) => entry.word.length === 2 && entry.word.startsWith('!'))
    .map((entry) => [entry.word.slice(1), entry.label])

/** A danger: the caution, always open, and the record that frees the unit. */
export function HazardPanel({ view, full, onKind, onAside, onTakeBack, onChange }: Props) {
  const [words, setWords] = useState('')
  const [error, setError] = useState<unknown>(null)
  const aside = useRef<HTMLButtonElement>(null)
  const open = view.hazards.filter((hazard) => !hazard.done)
  const gone = view.hazards.filter((hazard) => hazard.done)
  const showing = full && open.length > 0
  useEffect(() => {
    if (showing) aside.current?.focus()
  }, [showing])
  useEffect(() => {
    if (!showing) return
    const pressed = (event: KeyboardEvent): void => {
      if (event.target instanceof HTMLInputElement) return
      if ((event.ctrlKey || event.metaKey) && event.key === 'z') {
        event.preventDefault()
        event.stopImmediatePropagation()
        onTakeBack()
      }
      if (event.ctrlKey || event.altKey) return
      if (kinds().some(([letter]) => letter === event.key)) {
        event.preventDefault()
        onKind(event.key)
      }
    }
    addEventListener('keydown', pressed, { capture: true })
    return () => removeEventListener('keydown', pressed, { capture: true })
  })
  return (
    <>
      {open.length > 0 && (
        <section
          className={showing ? 'fixed inset-0 z-40 bg-base-100 overflow-auto border-[14px] border-error px-12 py-8 flex flex-col justify-center' : 'border-4 border-error bg-base-100 p-5 mb-4'}
          aria-label="Hazard"
          role={showing ? 'alertdialog' : undefined}
        >
          {open.map((hazard) => (
            <div key={hazard.place} className="flex gap-6 items-start mb-4">
              <svg width={showing ? 120 : 64} height={showing ? 105 : 56} viewBox="0 0 64 56" aria-hidden="true" className="shrink-0">
                <path d="M32 3 L61 53 H3 Z" fill="url(#strip-hazard)" stroke="var(--hazard)" strokeWidth="3" />
              </svg>
              <div>
                <p className={`${showing ? 'text-4xl' : 'text-xl'} font-bold text-error`}>Stop. {hazard.whole_unit ? view.tag : `${hazard.place} of ${view.tag}`}: {labelOf('HazardKind', hazard.kind)}.</p>
                <p className={`mt-2 ${showing ? 'text-2xl leading-snug max-w-4xl' : 'text-lg'}`}>{view.reading.assessment.hazard_words}</p>
                {workshop().hazard_rules && <p className={`mt-2 ${showing ? 'text-xl max-w-4xl' : ''}`}><b>{workshop().name}: </b>{workshop().hazard_rules}</p>}
                <p className="quiet mt-2">Seen by {hazard.seen_by}, {day(hazard.seen_at)} {clock(hazard.seen_at)}. The unit is blocked until somebody records what was done.</p>
              </div>
            </div>
          ))}
          {showing && (
            <div className="mb-5">
              <p className="mb-1">What was seen, one key:</p>
              <div className="flex flex-wrap gap-2">
                {kinds().map(([letter, kind]) => <button type="button" key={letter} className="btn btn-outline btn-bench" onClick={() => onKind(letter)}>{kind} <kbd className="uppercase">{letter}</kbd></button>)}
              </div>
            </div>
          )}
          <form
            className="flex gap-3 items-end"
            onSubmit={async (event) => {
              event.preventDefault()
              try {
                onChange(await ask(api.POST('/api/units/{tag}/hazard', { params: { path: { tag: view.tag } }, body: { words } })))
              } catch (refusal) {
                setError(refusal)
              }
            }}
          >
            {showing && <button type="button" className="btn btn-outline btn-bench order-last" onClick={onTakeBack}>Pressed by mistake <kbd>Ctrl Z</kbd></button>}
            {showing && <button ref={aside} type="button" className="btn btn-primary btn-bench" onClick={onAside}>It is set aside safely; next unit <kbd>Enter</kbd></button>}
            <label className="grow">
              What was done, and who took it
              <input className="input input-bordered w-full h-11" value={words} onChange={(event) => setWords(event.target.value)} />
            </label>
            <button type="submit" className="btn btn-outline btn-bench">Record it, free the unit</button>
          </form>
          <ProblemNote error={error} />
        </section>
      )}
      {gone.map((hazard) => (
        <p key={hazard.seen_at} className="quiet text-sm mb-2">
          {hazard.place}: {labelOf('HazardKind', hazard.kind)}. {hazard.done} Recorded by {hazard.done_by}.
        </p>
      ))}
    </>
  )
}
