import { useState } from 'react'
import { api, ask, problemOf } from '../api/client'

interface Props {
  tag: string
  /** Whether an eraser can be asked. */
  eraser: boolean
  reports: string[]
  onReports: (reports: string[]) => void
}

const MOST_CHARACTERS = 64_000

/** What the eraser says of the drives: pasted, dropped as files, or asked of the eraser itself. */
export function EraserReports({ tag, eraser, reports, onReports }: Props) {
  const [pasted, setPasted] = useState('')
  const [said, setSaid] = useState('')
  const take = async (files: Iterable<File>): Promise<void> => {
    const texts = await Promise.all([...files].map((file) => file.slice(0, MOST_CHARACTERS).text()))
    onReports([...reports, ...texts])
  }
  // The hand goes on with Space, which signs: it must not ask once more.
  const fetchAll = async (): Promise<void> => {
    try {
      onReports((await ask(api.POST('/api/units/{tag}/release/erasures', { params: { path: { tag } } }))).texts)
      setSaid('')
    } catch (refusal) {
      setSaid(problemOf(refusal).detail)
    }
  }
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: a place to drop files; the button beside it does the same
    <div className="basis-full flex flex-wrap items-center gap-2 pb-1 pl-8" onDragOver={(event) => event.preventDefault()} onDrop={(event) => { event.preventDefault(); void take(event.dataTransfer.files) }}>
      <span className="quiet">or the eraser’s report, one for each drive:</span>
      <input className="input h-11 w-52 bg-base-100" aria-label="Paste the eraser’s report" placeholder="paste it here" maxLength={MOST_CHARACTERS} value={pasted} onChange={(event) => setPasted(event.target.value)} onPaste={(event) => { event.preventDefault(); onReports([...reports, event.clipboardData.getData('text')]) }} onBlur={() => { if (pasted.trim()) { onReports([...reports, pasted]); setPasted('') } }} />
      <label className="btn btn-outline btn-bench font-normal">Files<input type="file" multiple accept=".json,.txt,.log,text/plain,application/json" className="sr-only" onChange={(event) => { void take(event.target.files ?? []); event.target.value = '' }} /></label>
      {eraser && <button type="button" className="btn btn-outline btn-bench font-normal" onClick={(event) => { event.currentTarget.blur(); void fetchAll() }}>Ask the eraser</button>}
      {reports.map((text, at) => (
        <span key={`${at} ${text.length}`} className="bg-base-100 border border-base-300 px-2 py-1 flex items-center gap-2"><span className="font-mono text-sm max-w-60 truncate" title={text}>{text.replace(/\s+/g, ' ').slice(0, 60)}</span><button type="button" className="underline quiet" aria-label={`Take report ${at + 1} off`} onClick={() => onReports(reports.filter((_, other) => other !== at))}>off</button></span>
      ))}
      {said && <p role="alert" className="basis-full fitink">{said}</p>}
    </div>
  )
}
