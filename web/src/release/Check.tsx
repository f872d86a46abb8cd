import { useRef, useState } from 'react'
import { type Schemas, api, ask } from '../api/client'
import { CheckState, StripGroup } from '../api/vocabulary'
import { Strip, layOut } from '../drawings/strip/Strip'
import { BegunForm } from '../frame/begun'
import { useKeys } from '../frame/keys'
import { labelOf } from '../frame/vocabulary'

type View = Schemas['ReleaseView']
type Place = Schemas['CheckedPlace']

interface Props {
  view: View
  done: boolean
  /** Runs a call that answers with the unit as it is now; false where it was refused. */
  send: (call: () => Promise<View>) => Promise<boolean>
  onSentBack: () => void
  /** It is at the bench once more, at the step that the question names. */
  onOpenedAgain: () => void
  onRefused: (refusal: unknown) => void
}

/** What was fitted, confirmed by the machine: expected over seen, each difference one question. */
export function Check({ view, done, send, onSentBack, onOpenedAgain, onRefused }: Props) {
  const [busy, setBusy] = useState('')
  const [back, setBack] = useState<string | null>(null)
  const chooser = useRef<HTMLInputElement>(null)
  const path = { params: { path: { tag: view.tag } } }
  const found = view.check
  const during = async (words: string, call: () => Promise<View>): Promise<void> => {
    setBusy(words)
    await send(call)
    setBusy('')
  }
  const probe = (): void => void during('Asking the bench probe', () => ask(api.POST('/api/units/{tag}/release/probe', path)))
  const take = (file: File | undefined): void => {
    if (!file) return
    const form = new FormData()
    form.append('file', file)
    void during(`Reading ${file.name}`, () => ask(api.POST('/api/units/{tag}/release/readout', { ...path, body: { file: file.name }, bodySerializer: () => form })))
  }
  const sendBack = async (form: HTMLFormElement): Promise<boolean> => {
    const places = back ? [back] : []
    try {
      await ask(api.POST('/api/units/{tag}/release/send-back', { ...path, body: { places, words: String(new FormData(form).get('words') ?? '') } }))
      onSentBack()
      return true
    } catch (refusal) {
      onRefused(refusal)
      return false
    }
  }
  const openAgain = async (place: string): Promise<void> => {
    try {
      await ask(api.POST('/api/units/{tag}/release/open-again', { ...path, body: { place } }))
      onOpenedAgain()
    } catch (refusal) {
      onRefused(refusal)
    }
  }
  useKeys('The machine’s own word', [
    { key: 'u', does: 'choose a file', act: () => chooser.current?.click(), off: done ? 'it is released' : '' },
    { key: 'b', does: 'read by the bench probe', act: probe, off: done ? 'it is released' : view.probe ? '' : 'no probe is set up' },
  ])
  const tests = new Set(view.strip.cells.filter((cell) => cell.group === StripGroup.TEST).map((cell) => cell.key))
  const confirmed = (found?.places ?? []).filter((place) => place.state === CheckState.AS_ORDERED && tests.has(place.place))
  if (done) return null
  return (
    <section aria-label="What the machine says of the work" className="mt-3">
      <div className="flex flex-wrap items-center gap-3 mb-1">
        <h2 className="grow">{found ? 'Expected and seen' : 'Not read out since the work was done'}</h2>
        {busy && <span role="status" className="quiet">{busy} …</span>}
        {found?.other_unit && <b className="fitink">of another unit</b>}
        {found && !found.other_unit && <b className={found.questions.length ? 'fitink' : 'doneink'}>{found.as_ordered} of {found.asked} as ordered</b>}
        {view.probe && <button type="button" className="btn btn-outline btn-bench font-normal" onClick={(event) => { event.currentTarget.blur(); probe() }}>{found ? 'Read out again' : 'Ask the bench probe'} <kbd>B</kbd></button>}
        <button type="button" className="underline min-h-11" onClick={() => chooser.current?.click()}>a zip <kbd>U</kbd></button>
        <input ref={chooser} type="file" accept=".zip" className="sr-only" tabIndex={-1} aria-label="Probe bundle" onChange={(event) => { take(event.target.files?.[0]); event.target.value = '' }} />
      </div>
      {found && view.seen && <Threads expected={view.strip} seen={view.seen} places={found.places} />}
      {confirmed.length > 0 && <p className="quiet text-note mb-1">Confirmed as well: {confirmed.map((place) => `${place.label}, ${place.seen}`).join('; ')}.</p>}
      {found?.doubts.map((doubt) => <p key={doubt} className="border-l-4 border-accent bg-base-100 px-3 py-1 mb-1 fitink font-semibold">{doubt}</p>)}
      <ol aria-label="Questions of the check">
        {found?.questions.map((one, at) => (
          <li key={one.place} className="border-l-4 border-accent bg-base-100 px-4 py-2 mb-2">
            <h3 className="text-lg font-bold"><span className="inline-grid place-items-center w-7 h-7 mr-2 rounded-full bg-accent text-accent-content text-base">{at + 1}</span>{one.question}</h3>
            <p>{one.fact} <span className="quiet">Most likely:</span> {one.likely}.</p>
            {one.step && <p><span className="quiet">Step {one.step.number}:</span> <b>{one.step.title}</b> {one.step.how}</p>}
            {one.step && !found.other_unit && <button type="button" className="btn btn-outline btn-bench mt-1 mr-2" onClick={() => void openAgain(one.place)}>Open it again at this step</button>}
            <button type="button" className="btn btn-outline btn-bench font-normal mt-1" aria-expanded={back === one.place} onClick={() => setBack(back === one.place ? null : one.place)}>Back to inspection</button>
          </li>
        ))}
      </ol>
      {back === null
        ? <button type="button" className="underline quiet" onClick={() => setBack('')}>something is not as it should be: back to inspection</button>
        : (
          <BegunForm place={`sent-back.${view.tag}`} className="flex flex-wrap items-end gap-3 bg-base-100 px-4 py-2 mb-2" aria-label="Back to inspection" onSend={sendBack}>
            <label className="grow">What is not as it should be?<input name="words" required minLength={4} maxLength={70} autoFocus className="input h-11 w-full bg-base-100 block" /></label>
            <button type="submit" className="btn btn-primary btn-bench">Send it back</button>
            <button type="button" className="btn btn-ghost btn-bench" onClick={() => setBack(null)}>Never mind</button>
          </BegunForm>
        )}
      {Boolean(found?.not_read.length) && <ul className="quiet text-note list-disc pl-5">{found?.not_read.map((sentence) => <li key={sentence}>{sentence}</li>)}</ul>}
    </section>
  )
}

const THREAD_PX = 26

/** Equal places are threaded; a thread is broken and numbered where they differ. */
function Threads({ expected, seen, places }: { expected: Schemas['Strip']; seen: Schemas['Strip']; places: Place[] }) {
  const { places: drawn, width } = layOut(expected, 'card')
  const states = new Map(places.map((place) => [place.place, place]))
  const open = places.filter((place) => place.state === CheckState.OTHERWISE || place.state === CheckState.NOT_SEEN).map((place) => place.place)
  return (
    <figure className="my-2 overflow-x-auto">
      <Strip strip={expected} size="card" />
      <svg width={Math.max(width, 40)} height={THREAD_PX} role="img" aria-label={places.map((place) => `${place.label}: ${labelOf('CheckState', place.state)}`).join('; ')}>
        {drawn.map(({ cell, x, width: wide }) => {
          const state = states.get(cell.key)?.state
          const at = x + wide / 2
          if (state === CheckState.AS_ORDERED) return <line key={cell.key} x1={at} x2={at} y1={2} y2={THREAD_PX - 2} stroke="var(--done)" strokeWidth="3" />
          if (!open.includes(cell.key)) return null
          return (
            <g key={cell.key} stroke="var(--fit)" strokeWidth="3">
              <line x1={at} x2={at} y1={2} y2={8} />
              <line x1={at - 7} x2={at + 7} y1={9} y2={17} />
              <line x1={at} x2={at} y1={18} y2={THREAD_PX - 2} />
              <text x={at + 10} y={19} fontSize="16" fontWeight="700" fill="var(--ink)" stroke="none">{open.indexOf(cell.key) + 1}</text>
            </g>
          )
        })}
      </svg>
      <Strip strip={seen} size="card" />
    </figure>
  )
}
