import { useQueryClient } from '@tanstack/react-query'
import { FileDown } from 'lucide-react'
import { useRef, useState } from 'react'
import { type Schemas, api, ask } from '../api/client'
import { ProblemNote } from '../frame/Problem'
import { count } from '../frame/words'

/** The whole furnishing as one open file, out and in. */
export function AsFile() {
  const queries = useQueryClient()
  const chooser = useRef<HTMLInputElement>(null)
  const [file, setFile] = useState<File | null>(null)
  const [said, setSaid] = useState<Schemas['FileVerdict'] | null>(null)
  const [done, setDone] = useState(false)
  const [error, setError] = useState<unknown>(null)
  const send = async (one: File | undefined, keep: boolean): Promise<void> => {
    if (!one) return
    const form = new FormData()
    form.append('file', one)
    const options = { body: { file: one.name }, bodySerializer: () => form }
    try {
      setFile(one)
      setSaid(await ask(keep ? api.POST('/api/furnish/file', options) : api.POST('/api/furnish/file/look', options)))
      setDone(keep)
      setError(null)
      if (keep) await queries.invalidateQueries()
    } catch (refusal) {
      setSaid(null)
      setError(refusal)
    }
  }
  const nothing = said && said.new?.length === 0 && said.changed?.length === 0 && said.asked?.length === 0
  return (
    <div className="max-w-3xl grid gap-6">
      <section>
        <h1 className="mb-1">The workshop as a file</h1>
        <p className="mb-3">Settings, standards with prices, part kinds, offers and model sheets as JSON in a zip. No stock, no units, nothing about people.</p>
        <a className="btn btn-outline btn-bench" href="/api/furnish/file.zip"><FileDown size={18} aria-hidden="true" /> Take it out</a>
      </section>
      <section>
        <h2 className="mb-1">Take a file in</h2>
        <p className="quiet mb-3">First it is only looked at. What differs becomes the next version here; where a sheet differs, each fact is asked. Nothing is lost.</p>
        <input ref={chooser} type="file" accept=".zip,application/zip" className="sr-only" tabIndex={-1} aria-label="Workshop file" onChange={(event) => { void send(event.target.files?.[0], false); event.target.value = '' }} />
        <button type="button" className="btn btn-outline btn-bench" onClick={() => chooser.current?.click()}>Choose the file</button>
        <ProblemNote error={error} />
        {said && (
          <div className="mt-4">
            <p role="status" className="mb-2">{done ? 'Taken in: ' : `${file?.name} would bring `}<b>{count(said.new?.length ?? 0, 'new thing')}</b>, <b>{count(said.changed?.length ?? 0, 'change')}</b>; {said.same} the same{(said.left?.length ?? 0) > 0 && `, ${said.left?.length} left as they are`}.</p>
            {!done && !nothing && <button type="button" className="btn btn-primary btn-bench mb-3" onClick={() => void send(file ?? undefined, true)}>Take it in</button>}
            {([['new', said.new], ['another version', said.changed], ['to be answered under Sheets', said.asked], ['left as it is', said.left]] as const).map(([words, lines]) => (lines?.length ?? 0) > 0 && (
              <details key={words} open={(lines?.length ?? 0) < 12}><summary className="cursor-pointer font-semibold">{words}: {lines?.length}</summary><ul>{lines?.map((line) => <li key={line} className="rule-t py-0.5">{line}</li>)}</ul></details>
            ))}
          </div>
        )}
      </section>
    </div>
  )
}
