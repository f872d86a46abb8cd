import { useEffect, useRef, useState } from 'react'
import { type Schemas, api, ask } from '../api/client'
import { ProblemNote } from '../frame/Problem'
import { useKeys } from '../frame/keys'
import { count } from '../frame/words'

interface Props {
  tag: string
  trim: string
  entries: Record<string, string>
  /** A read-out of this unit was taken in before. */
  taken: boolean
  dropped: React.RefObject<File | null>
  onTake: (entries: Record<string, string>) => void
  onOne: (place: string, text: string) => void
  onClose: () => void
}

/** What the machine says beside what the person saw; differences are questions. */
export function ReadOut({ tag, trim, entries, taken, dropped, onTake, onOne, onClose }: Props) {
  const [view, setView] = useState<Schemas['ReadOutView'] | null>(null)
  const [error, setError] = useState<unknown>(null)
  const [busy, setBusy] = useState('')
  const chooser = useRef<HTMLInputElement>(null)
  const path = { params: { path: { tag } } }
  const attempt = async (words: string, call: () => Promise<Schemas['ReadOutView']>): Promise<void> => {
    setError(null)
    setBusy(words)
    try {
      setView(await call())
    } catch (refusal) {
      setError(refusal)
    } finally {
      setBusy('')
    }
  }
  const send = (file: File | null | undefined): void => {
    if (!file) return
    const form = new FormData()
    form.append('file', file)
    form.append('typed', JSON.stringify({ trim, entries }))
    void attempt(`Reading ${file.name}`, () => ask(api.POST('/api/units/{tag}/readout', { ...path, body: { file: file.name, typed: '' }, bodySerializer: () => form })))
  }
  const probe = (): void => void attempt('Asking the bench probe', () => ask(api.POST('/api/units/{tag}/probe', { ...path, body: { trim, entries } })))
  // biome-ignore lint/correctness/useExhaustiveDependencies: it runs when what it names changes, not at every drawing
  useEffect(() => {
    if (dropped.current) {
      send(dropped.current)
      dropped.current = null
    } else void attempt('Opening', () => ask(api.POST('/api/units/{tag}/beside', { ...path, body: { trim, entries } })))
  }, [])
  // biome-ignore lint/correctness/useExhaustiveDependencies: it runs when what it names changes, not at every drawing
  useEffect(() => {
    // What is typed meanwhile is laid beside the machine's words again.
    if (view?.comparison.rows.length) void ask(api.POST('/api/units/{tag}/beside', { ...path, body: { trim, entries } })).then(setView)
  }, [entries, trim])
  const rows = view?.comparison.rows ?? []
  const open = view?.comparison.entries ?? {}
  const questions = view?.comparison.questions ?? []
  const missing = taken || rows.length ? (view?.comparison.not_read ?? []) : []
  useKeys('Read-out', [
    { key: 'u', does: 'choose a file', act: () => chooser.current?.click() },
    { key: 'b', does: 'read by the bench probe', act: () => void probe() },
    { key: 't', does: 'take over what only the machine says', act: () => onTake(open), off: Object.keys(open).length ? '' : 'the machine says nothing more' },
    { key: 'Escape', does: 'back to the strip', act: onClose },
  ])
  return (
    <section aria-label="Read-out" className="mb-3">
      <div className="flex items-center gap-3 mb-2">
        <h2 className="grow">What the machine says of itself</h2>
        {busy && <span role="status" className="quiet">{busy} …</span>}
        <a className="quiet underline text-sm" href="/api/units/probe/collect.sh">collecting script</a>
        <button type="button" className="btn btn-outline btn-sm pointer-coarse:btn-bench" onClick={() => chooser.current?.click()}>Choose a zip <kbd>U</kbd></button>
        {view?.probe && <button type="button" className="btn btn-outline btn-sm pointer-coarse:btn-bench" onClick={probe}>Ask the bench probe <kbd>B</kbd></button>}
        {Object.keys(open).length > 0 && <button type="button" className="btn btn-primary btn-bench" onClick={() => onTake(open)}>Take {count(Object.keys(open).length, 'place')} over <kbd>T</kbd></button>}
        <input ref={chooser} type="file" accept=".zip" className="sr-only" tabIndex={-1} aria-label="Probe bundle" onChange={(event) => { send(event.target.files?.[0]); event.target.value = '' }} />
      </div>
      <ProblemNote error={error} />
      {rows.length === 0 && !busy && !error && (
        <p className="quiet">Start the unit from any live system, run the collecting script as root, drop its zip here{view?.probe ? ', or ask the bench probe' : ''}. Nothing typed is ever overwritten.</p>
      )}
      {questions.length > 0 && (
        <ul className="mb-2">
          {questions.map((question) => <li key={question} className="border-l-4 border-accent bg-base-100 px-3 py-1 mb-1 fitink font-semibold">{question}</li>)}
        </ul>
      )}
      <div className={missing.length > 0 ? 'grid grid-cols-[minmax(0,1fr)_18rem] gap-6 max-lg:grid-cols-1' : ''}>
        {rows.length > 0 && (
          <table className="text-note self-start w-full">
            <thead><tr className="border-b border-base-content"><th className="pr-6">place</th><th className="pr-6">the machine says</th><th className="pr-6">you saw</th><td /></tr></thead>
            <tbody>
              {rows.map((row) => (
                <tr key={row.place} className={`rule-b ${row.differs ? 'row-open' : ''}`}>
                  <td className="py-1 pr-6 font-semibold">{row.label}</td>
                  <td className="pr-6">{row.machine_words} <span className="font-mono quiet">{row.machine}</span></td>
                  <td className="pr-6">{row.person ? <>{row.person_words} <span className="font-mono quiet">{row.person}</span></> : <span className="quiet">nothing yet</span>}</td>
                  <td>
                    {row.differs ? <span className="fitink font-semibold">Which is right? <button type="button" className="underline" onClick={() => onOne(row.place, row.machine)}>the machine</button></span> : row.person ? <span className="doneink">agrees</span> : ''}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
        {missing.length > 0 && (
          <div>
            <h3>What was not read</h3>
            <ul className="text-note quiet list-disc pl-5">{missing.map((sentence) => <li key={sentence}>{sentence}</li>)}</ul>
          </div>
        )}
      </div>
    </section>
  )
}
