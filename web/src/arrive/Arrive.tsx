import { useQuery, useQueryClient } from '@tanstack/react-query'
import { FileDown, FileUp } from 'lucide-react'
import { useRef, useState } from 'react'
import { useNavigate, useParams } from 'react-router'
import { type Schemas, api, ask } from '../api/client'
import { ProblemNote } from '../frame/Problem'
import { useKeys } from '../frame/keys'
import { count } from '../frame/words'
import { unitsQuery } from '../inspect/Inspect'

const asForm = (file: File) => {
  const form = new FormData()
  form.append('file', file)
  return form
}
const sendManifest = (slug: string, file: File, keep: boolean) =>
  ask(api.POST('/api/batches/{slug}/manifest', {
    params: { path: { slug }, query: { keep } },
    body: { file: file.name },
    bodySerializer: () => asForm(file),
  }))

const EXAMPLE = `serial,maker,model,notes
HB700114,Ombrel,Folio 15,dent at the left corner
HB700115,Ombrel,Folio 15,
HB700116,Quarrin,Stilt Q2,no power brick
HB700117,Tolva,Lern 11,`

/** Arrive: a manifest is read, shown, taken in; units are counted in by scan or all at once. */
export function Arrive() {
  const { batch = '' } = useParams()
  const queries = useQueryClient()
  const navigate = useNavigate()
  const announced = useQuery(unitsQuery(batch, 'arrive'))
  const [file, setFile] = useState<File | null>(null)
  const [preview, setPreview] = useState<Schemas['ManifestLine'][] | null>(null)
  const [said, setSaid] = useState('')
  const [error, setError] = useState<unknown>(null)
  const [scanned, setScanned] = useState('')
  const chooser = useRef<HTMLInputElement>(null)

  const attempt = async (work: () => Promise<string>): Promise<void> => {
    setError(null)
    setSaid('')
    try {
      setSaid(await work())
    } catch (refusal) {
      setError(refusal)
    }
  }
  const refresh = (): Promise<void> => queries.invalidateQueries()
  const look = (chosen: File | undefined): void => {
    if (!chosen) return
    setFile(chosen)
    setPreview(null)
    void attempt(async () => {
      setPreview(await sendManifest(batch, chosen, false))
      return ''
    })
  }
  const takeIn = (): void => {
    if (!file || !preview) return
    void attempt(async () => {
      const taken = await sendManifest(batch, file, true)
      setPreview(null)
      setFile(null)
      await refresh()
      return `${count(taken.length, 'unit')} taken in, tagged ${taken[0]?.tag} to ${taken.at(-1)?.tag}. Count them in as you see them.`
    })
  }
  const countIn = (tags: string[] | null): void =>
    void attempt(async () => {
      const counted = await ask(api.POST('/api/batches/{slug}/count-in', { params: { path: { slug: batch } }, body: { tags } }))
      await refresh()
      return counted.count ? `${count(counted.count, 'unit')} counted in; ${counted.count === 1 ? 'it waits' : 'they wait'} to be inspected.` : `${tags?.[0]} is not among the announced units. Check the tag, or set the unit aside.`
    })
  useKeys({
    m: () => chooser.current?.click(),
    t: takeIn,
    c: () => countIn(null),
    i: () => navigate(`/${batch}/inspect`),
  })
  const waiting = announced.data ?? []
  return (
    <div className="page grid grid-cols-[minmax(0,1fr)_minmax(0,1fr)] gap-x-10 max-lg:grid-cols-1">
      <section
        onDragOver={(event) => event.preventDefault()}
        onDrop={(event) => {
          event.preventDefault()
          look(event.dataTransfer.files[0])
        }}
      >
        <h1 className="mb-1">Take a manifest in</h1>
        <p className="quiet mb-3">CSV with a header line: serial, maker, model; tag and notes if you have them. A blank tag is given the next number. All lines or none.</p>
        <label className="border-2 border-dashed border-base-300 p-5 flex items-center gap-3 cursor-pointer hover:border-base-content focus-within:border-accent">
          <FileUp aria-hidden="true" />
          <span className="grow">{file ? file.name : 'Drop the file here, or choose it'}</span>
          <kbd>M</kbd>
          <input ref={chooser} type="file" accept=".csv,text/csv" className="sr-only" aria-label="Manifest file" onChange={(event) => { look(event.target.files?.[0]); event.target.value = '' }} />
        </label>
        {!preview && !said && !error && (
          <figure className="mt-4">
            <figcaption className="quiet text-sm mb-1">What a manifest looks like · <a className="underline" href="/example-manifest.csv" download>take this one to try it</a></figcaption>
            <pre className="font-mono text-sm bg-base-100 border border-base-300 p-3 overflow-auto">{EXAMPLE}</pre>
          </figure>
        )}
        <ProblemNote error={error} />
        {said && <p role="status" className="border-l-4 border-success bg-base-100 px-4 py-3 my-3">{said}</p>}
        {preview && (
          <div className="mt-4">
            <div className="flex items-center gap-4 mb-2">
              <p className="grow"><b>{count(preview.length, 'unit')}</b> read, every line is understood. Nothing is kept yet.</p>
              <button className="btn btn-primary btn-bench" onClick={takeIn}>Take in <kbd>T</kbd></button>
            </div>
            <div className="max-h-96 overflow-auto">
              <table className="w-full text-[0.9375rem]">
                <thead className="sticky top-0 bg-base-200"><tr><th>line</th><th>tag</th><th>serial</th><th>model</th><th>notes</th></tr></thead>
                <tbody>
                  {preview.map((row) => (
                    <tr key={row.line} className="rule-t">
                      <td>{row.line}</td><td className="tag">{row.tag || 'next'}</td><td className="font-mono">{row.serial}</td><td>{row.model}</td><td>{row.notes}</td>
                    </tr>
                  ))}
                </tbody>
              </table>
            </div>
          </div>
        )}
      </section>
      <section>
        <div className="flex items-baseline gap-4">
          <h1 className="grow">Announced, not seen yet</h1>
          <a className="quiet flex gap-1 items-center hover:underline" href={`/api/batches/${batch}/units.csv`}><FileDown size={16} aria-hidden="true" /> batch as CSV</a>
        </div>
        {waiting.length === 0 ? (
          <p className="mt-2">{announced.data ? 'Every announced unit is counted in. ' : ''}<button className="underline" onClick={() => navigate(`/${batch}/inspect`)}>Go on to Inspect</button> <kbd>I</kbd></p>
        ) : (
          <>
            <form className="flex gap-3 my-3" onSubmit={(event) => { event.preventDefault(); if (scanned.trim()) countIn([scanned.trim().toUpperCase()]); setScanned('') }}>
              <input className="input input-bordered h-11 grow" placeholder="Scan a tag to count it in" aria-label="Scan a tag to count it in" value={scanned} onChange={(event) => setScanned(event.target.value)} />
              <button type="button" className="btn btn-outline btn-bench" onClick={() => countIn(null)}>Count all {waiting.length} in <kbd>C</kbd></button>
            </form>
            <ul className="max-h-[60dvh] overflow-auto">
              {waiting.map((unit) => (
                <li key={unit.tag} className="rule-t py-1.5 flex gap-4 items-baseline">
                  <span className="tag">{unit.tag}</span><span className="grow">{unit.model}</span><span className="font-mono text-sm quiet">{unit.serial}</span>
                  <a className="underline text-sm" href={`/api/units/${unit.tag}/label.pdf`} target="_blank" rel="noreferrer">label</a>
                </li>
              ))}
            </ul>
          </>
        )}
      </section>
    </div>
  )
}
