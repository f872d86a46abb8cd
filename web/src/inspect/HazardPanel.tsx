import { useState } from 'react'
import { type Schemas, api, ask } from '../api/client'
import { ProblemNote } from '../frame/Problem'
import { clock, day } from '../frame/words'

/** A dangerous pack: the caution, open, and the record that frees the unit. */
export function HazardPanel({ view, onChange }: { view: Schemas['InspectionView']; onChange: (view: Schemas['InspectionView']) => void }) {
  const [words, setWords] = useState('')
  const [error, setError] = useState<unknown>(null)
  const open = view.hazards.filter((hazard) => !hazard.done)
  const gone = view.hazards.filter((hazard) => hazard.done)
  return (
    <>
      {open.map((hazard) => (
        <section key={hazard.place} className="border-4 border-error bg-base-100 p-5 mb-4" aria-label="Hazard">
          <div className="flex gap-4 items-start">
            <svg width="64" height="56" viewBox="0 0 64 56" aria-hidden="true" className="shrink-0">
              <path d="M32 3 L61 53 H3 Z" fill="url(#strip-hazard)" stroke="var(--hazard)" strokeWidth="3" />
            </svg>
            <div>
              <p className="text-xl font-bold text-error">Stop. {hazard.place} of {view.tag} is dangerous.</p>
              <p className="mt-1 text-lg">{view.reading.assessment.hazard_words}</p>
              <p className="quiet mt-2">Seen by {hazard.seen_by}, {day(hazard.seen_at)} {clock(hazard.seen_at)}. The unit is blocked until somebody records that the pack is gone.</p>
            </div>
          </div>
          <form
            className="mt-3 flex gap-3 items-end"
            onSubmit={async (event) => {
              event.preventDefault()
              try {
                onChange(await ask(api.POST('/api/units/{tag}/hazard', { params: { path: { tag: view.tag } }, body: { words } })))
              } catch (refusal) {
                setError(refusal)
              }
            }}
          >
            <label className="grow">
              What was done with the pack, and who took it
              <input className="input input-bordered w-full h-11" value={words} onChange={(event) => setWords(event.target.value)} />
            </label>
            <button className="btn btn-primary btn-bench">It is gone</button>
          </form>
          <ProblemNote error={error} />
        </section>
      ))}
      {gone.map((hazard) => (
        <p key={hazard.seen_at} className="quiet text-sm mb-2">
          {hazard.place} was dangerous. {hazard.done} Recorded by {hazard.done_by}.
        </p>
      ))}
    </>
  )
}
