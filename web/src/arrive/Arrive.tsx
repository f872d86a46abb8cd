import { useQuery, useQueryClient } from '@tanstack/react-query'
import { FileDown, FileUp } from 'lucide-react'
import { useRef, useState } from 'react'
import { useNavigate, useParams, useSearchParams } from 'react-router'
import { type Schemas, api, ask } from '../api/client'
import { ProblemNote } from '../frame/Problem'
import { addressWith } from '../frame/filter'
import { useKeys } from '../frame/keys'
import { shows } from '../frame/shows'
import { count } from '../frame/words'
import { unitsQuery } from '../inspect/units'
import { useBatch } from '../frame/Frame'
import { Count } from './Count'
import { Manifest } from './Manifest'
import { ImportState, Stage } from '../api/vocabulary'

const EXAMPLE = `Serial no;Brand;Model name;Remarks
HB700114;Ombrel;Folio 15;dent at the left corner
HB700115;Ombrel;FOLIO-15;
HB700116;Quarrin;Stilt Q2;no power brick
HB700117;Tolva;Lern 11;`

const listQuery = (batch: string, number: number) => ({
  queryKey: ['list', batch, number],
  queryFn: () => ask(api.GET('/api/batches/{slug}/manifests/{number}', { params: { path: { slug: batch, number } } })),
  staleTime: Infinity,
})

/** Arrive: a manifest is read, judged row by row, taken in; units are counted in by scan. */
export function Arrive() {
  const { batch = '' } = useParams()
  const queries = useQueryClient()
  const navigate = useNavigate()
  const announced = useQuery(unitsQuery(batch, Stage.ARRIVE))
  const counted = useBatch(batch)
  const aside = useQuery({ queryKey: ['aside', batch], queryFn: () => ask(api.GET('/api/batches/{slug}/manifests', { params: { path: { slug: batch } } })) })
  const [search, setSearch] = useSearchParams()
  /** The list that is looked at stands in the address: it is there again after a reload, and Back leaves it. */
  const number = Number(search.get('list') ?? 0)
  const list = useQuery({ ...listQuery(batch, number), enabled: Number.isInteger(number) && number > 0 })
  // One that was taken in meanwhile has nothing to look at.
  const looked = list.data && list.data.state !== ImportState.TAKEN ? list.data : null
  const [said, setSaid] = useState('')
  const [error, setError] = useState<unknown>(null)
  const chooser = useRef<HTMLInputElement>(null)

  const setLooked = (now: Schemas['ImportView'] | null): void => {
    if (now) shows(queries, listQuery(batch, now.number).queryKey, now)
    if ((now?.number ?? 0) === number) return
    const address = addressWith('list', now ? String(now.number) : '')
    address.delete('rows')
    setSearch(address)
  }

  const look = async (file: File | undefined): Promise<void> => {
    if (!file) return
    setError(null)
    setSaid('')
    const form = new FormData()
    form.append('file', file)
    try {
      setLooked(await ask(api.POST('/api/batches/{slug}/manifests', { params: { path: { slug: batch } }, body: { file: file.name }, bodySerializer: () => form })))
    } catch (refusal) {
      setLooked(null)
      setError(refusal)
    }
  }
  const taken = (done: Schemas['ImportView']): void => {
    shows(queries, listQuery(batch, done.number).queryKey, done)
    setLooked(null)
    setSaid(`${count(done.counts.ok + done.counts.look, 'unit')} taken in, tagged ${done.first_tag === done.last_tag ? done.first_tag : `${done.first_tag} to ${done.last_tag}`}. Count them in as you see them.`)
    void queries.invalidateQueries()
  }
  useKeys('Arrive', [
    { key: 'm', does: 'choose a manifest', act: () => chooser.current?.click() },
    { key: 'i', does: 'go on to Inspect', act: () => navigate(`/${batch}/inspect`) },
  ])
  const waiting = announced.data ?? []
  return (
// biome-ignore lint/a11y/noStaticElementInteractions: a file may be dropped anywhere; the button beside it does the same
    <div
      className="page"
      onDragOver={(event) => event.preventDefault()}
      onDrop={(event) => {
        event.preventDefault()
        void look(event.dataTransfer.files[0])
      }}
    >
      <input ref={chooser} type="file" accept=".csv,.tsv,.txt,.xlsx,text/csv" className="sr-only" tabIndex={-1} aria-label="Manifest file" onChange={(event) => { void look(event.target.files?.[0]); event.target.value = '' }} />
      {looked ? (
        <Manifest batch={batch} view={looked} onView={setLooked} onTaken={taken} onOther={() => chooser.current?.click()} onLeave={() => setLooked(null)} />
      ) : (
        <div className="grid grid-cols-[minmax(0,22rem)_minmax(0,1fr)] gap-x-10 gap-y-6 max-lg:grid-cols-1">
          <section>
            {announced.data && counted.data?.units === 0 && <p className="border-l-4 border-accent bg-base-100 px-4 py-3 mb-4">This batch is empty. Take its list in first; the units are then counted in one by one as you see them.</p>}
            <h1 className="mb-1">Take a manifest in</h1>
            <p className="quiet mb-3">CSV or XLSX with any columns; which is the serial number and which the model is suggested, and every row is judged before anything is kept.</p>
            <button type="button" className="w-full text-left border-2 border-dashed border-base-300 p-5 flex items-center gap-3 hover:border-base-content" onClick={() => chooser.current?.click()}>
              <FileUp aria-hidden="true" />
              <span className="grow">Drop the file here, or choose it</span>
              <kbd>M</kbd>
            </button>
            <ProblemNote error={error ?? list.error} />
            {said ? (
              <p role="status" className="border-l-4 border-success bg-base-100 px-4 py-3 my-3">{said}</p>
            ) : (
              <figure className="mt-4">
                <figcaption className="quiet text-sm mb-1">What a manifest may look like · <a className="underline" href="/example-manifest.csv" download>take this one to try it</a></figcaption>
                <pre className="font-mono text-sm bg-base-100 border border-base-300 p-3 whitespace-pre-wrap">{EXAMPLE}</pre>
              </figure>
            )}
            {(aside.data ?? []).map((list) => (
              <p key={list.number} className="mt-3 border-l-4 border-accent bg-base-100 px-4 py-3">{count(list.total, 'row')} of {list.name} {list.total === 1 ? 'is' : 'are'} set aside. <button type="button" className="underline" onClick={() => setLooked(list)}>Mend {list.total === 1 ? 'it' : 'them'}</button></p>
            ))}
            <p className="mt-4 flex gap-x-4 items-center"><FileDown size={16} aria-hidden="true" className="quiet -mr-3" /><a className="quiet hover:underline" href={`/api/batches/${batch}/units.csv`}>the whole batch as CSV</a><a className="quiet hover:underline" href={`/api/batches/${batch}/batch.json`}>as a file</a></p>
          </section>
          <Count batch={batch} waiting={waiting} ready={Boolean(announced.data)} />
        </div>
      )}
    </div>
  )
}
