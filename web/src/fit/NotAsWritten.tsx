import { useState } from 'react'
import type { Schemas } from '../api/client'
import { isText, keepBegun, useBegun } from '../frame/begun'
import { type KeyRow, useKeys } from '../frame/keys'
import { headingOf, labelOf } from '../frame/vocabulary'

const LETTERS = '123456789abcdefghijkmnoqrsuvwxyz'
type Said = Pick<Schemas['Told'], 'kind' | 'place' | 'entry' | 'words'>

interface Props {
  view: Schemas['WorkView']
  /** Steps done as this screen sees it; those on their way to the server count. */
  done: number
  busy: boolean
  /** Only dangers are asked about. */
  danger: boolean
  onTell: (said: Said) => void
  onStop: (words: string) => void
  onCancel: () => void
}

/** Places of the step in hand stand first, then those of the steps ahead. */
function likeliestFirst(view: Schemas['WorkView'], done: number): Schemas['KindChoice'][] {
  const ahead = view.work.steps.slice(done).flatMap((step) => step.actions ?? []).map((action) => action.place)
  const rank = (key: string): number => (ahead.includes(key) ? ahead.indexOf(key) : ahead.length)
  return view.choices.map((choice) => ({
    ...choice,
    places: choice.places
      .filter((place) => !choice.of_the_work || ahead.includes(place.key))
      .sort((a, b) => rank(a.key) - rank(b.key)),
  }))
}

/** What was typed of a surprise is said, or not to be said. */
export const forgetSaid = (tag: string): void => {
  for (const field of ['entry', 'words']) keepBegun(`surprise.${tag}.${field}`, null)
}

/** Not as written, in a few keys: what, where, Enter. */
export function NotAsWritten({ view, done, busy, danger, onTell, onStop, onCancel }: Props) {
  const choices = likeliestFirst(view, done).filter((choice) => !danger || choice.danger)
  const [kind, setKind] = useState<Schemas['KindChoice'] | null>(null)
  const [place, setPlace] = useState('')
  const [entry, setEntry] = useBegun(`surprise.${view.tag}.entry`, '', isText)
  const [words, setWords] = useBegun(`surprise.${view.tag}.words`, '', isText)
  const [other, setOther] = useState(false)
  const differs = kind?.entry_needed ?? false
  const ready = kind !== null && (place !== '' || !kind.place_needed) && (!differs || entry.trim() !== '')
  const tell = (): void => {
    if (kind && ready && !busy) onTell({ kind: kind.kind, place, entry, words })
  }
  const pick = (chosen: Schemas['KindChoice']): void => {
    setKind(chosen)
    setPlace(chosen.places.length === 1 ? (chosen.places[0]?.key ?? '') : '')
  }
  const letters: KeyRow[] = []
  const letter = (index: number, does: string, act: () => void): number => letters.push({ key: LETTERS[index] ?? '', does, act })
  if (!kind && !other) {
    choices.forEach((choice, index) => { letter(index, labelOf('SurpriseKind', choice.kind), () => pick(choice)) })
    if (!danger) letter(choices.length, 'something else', () => setOther(true))
  } else if (kind) {
    kind.places.forEach((choice, index) => { letter(index, choice.label, () => setPlace(choice.key)) })
  }
  useKeys('Not as written', [
    ...letters,
    { key: 'Enter', does: 'say so', act: tell, off: ready ? '' : 'say first what, and where' },
    { key: 'Escape', does: 'never mind', act: onCancel },
    { key: 'Backspace', does: 'choose again', act: () => { setKind(null); setPlace(''); setOther(false) } },
  ])
  return (
    <section className={`border-2 bg-base-100 p-4 ${danger ? 'border-error' : 'border-accent'}`} aria-label="Not as written" onKeyDown={(event) => { if (event.key === 'Escape') onCancel() }}>
      <h2 className="text-2xl mb-2">{kind ? headingOf('SurpriseKind', kind.kind) : danger ? 'Stop. What is dangerous?' : 'What is not as written?'}</h2>
      {!kind && !other && (
        <ul className="grid grid-cols-2 gap-2 max-lg:grid-cols-1">
          {choices.map((choice, index) => <li key={choice.kind}><button type="button" className="btn btn-outline btn-bench w-full justify-start text-left" onClick={() => pick(choice)}><kbd>{LETTERS[index]}</kbd> {labelOf('SurpriseKind', choice.kind)}</button></li>)}
          {!danger && <li><button type="button" className="btn btn-outline btn-bench w-full justify-start text-left" onClick={() => setOther(true)}><kbd>{LETTERS[choices.length]}</kbd> something else</button></li>}
        </ul>
      )}
      {kind && kind.places.length > 0 && (
        <div className="flex flex-wrap gap-2 mb-3" role="radiogroup" aria-label="Which one">
          {kind.places.map((choice, index) => (
            <div key={choice.key}>
              <button type="button" role="radio" aria-checked={place === choice.key} className={`btn btn-bench ${place === choice.key ? 'btn-primary' : 'btn-outline'}`} onClick={() => setPlace(choice.key)}>
                <kbd>{LETTERS[index]}</kbd> {choice.label}
              </button>
            </div>
          ))}
        </div>
      )}
      {kind && (
        <form onSubmit={(event) => { event.preventDefault(); tell() }}>
          {differs && place && (
            <label className="block mb-2">
              What really sits there, as at Inspect: 8, n256, 38/41, - for empty
              <input autoFocus className="input input-bordered w-full h-11" value={entry} onChange={(event) => setEntry(() => event.target.value)} />
            </label>
          )}
          <label className="block mb-3">
            In words, if they help
            <input className="input input-bordered w-full h-11" value={words} onChange={(event) => setWords(() => event.target.value)} />
          </label>
          <button type="submit" className="btn btn-primary btn-bench mr-3" disabled={!ready || busy}>Say so, and what now? <kbd>Enter</kbd></button>
          <button type="button" className="btn btn-ghost btn-bench" onClick={onCancel}>Never mind <kbd>Esc</kbd></button>
        </form>
      )}
      {other && (
        <form onSubmit={(event) => { event.preventDefault(); onStop(words) }}>
          <label className="block mb-3">
            Say it in a few words. The order stops, its parts go back, the unit returns to Inspect.
            <input autoFocus className="input input-bordered w-full h-11" value={words} onChange={(event) => setWords(() => event.target.value)} />
          </label>
          <button type="submit" className="btn btn-primary btn-bench mr-3" disabled={busy}>Stop this order</button>
          <button type="button" className="btn btn-ghost btn-bench" onClick={onCancel}>Never mind <kbd>Esc</kbd></button>
        </form>
      )}
      {!kind && !other && <button type="button" className="btn btn-ghost btn-bench mt-2" onClick={onCancel}>Never mind <kbd>Esc</kbd></button>}
    </section>
  )
}
