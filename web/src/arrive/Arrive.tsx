import { useQuery, useQueryClient } from '@tanstack/react-query'
import { FileDown, FileUp } from 'lucide-react'
import { useEffect, useRef, useState } from 'react'
import { useNavigate, useParams, useSearchParams } from 'react-router'
import { type Schemas, api, ask } from '../api/client'
import { ProblemNote } from '../frame/Problem'
import { addressWith } from '../frame/filter'
import { useKeys } from '../frame/keys'
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

/** Arrive: a manifest is read, judged row by row, taken in; units are counted in by scan. */
export function Arrive() {
  const { batch = '' } = useParams()
  const queries = useQueryClient()
  const navigate = useNavigate()
  const announced = useQuery(unitsQuery(batch, Stage.ARRIVE))
  const counted = useBatch(batch)
  const aside = useQuery({ queryKey: ['aside', batch], queryFn: () => ask(api.GET('/api/batches/{slug}/manifests', { params: { path: { slug: batch } } })) })
  const [search, setSearch] = useSearchParams()
  const [read, setRead] = useState<Schemas['ImportView'] | null>(null)
  /** The list that is looked at stands in the address: it is there again after a reload, and Back leaves it. */
  const number = Number(search.get('list') ?? 0)
  const looked = read?.number === number ? read : null
  const [said, setSaid] = useState('')
  const [error, setError] = useState<unknown>(null)
  const chooser = useRef<HTMLInputElement>(null)

  const setLooked = (list: Schemas['ImportView'] | null): void => {
    setRead(list)
    if ((list?.number ?? 0) === number) return
    const address = addressWith('list', list ? String(list.number) : '')
    address.delete('rows')
    setSearch(address)
  }
  useEffect(() => {
    if (!number || looked) return
    let over = false
    ask(api.GET('/api/batches/{slug}/manifests/{number}', { params: { path: { slug: batch, number } } })).then(
      (list) => {
        if (over) return
        setRead(list)
        // It was taken in meanwhile: there is nothing to look at.
        if (list.state === ImportState.TAKEN) setSearch(addressWith('list', ''), { replace: true })
      },
      (refusal) => {
        if (over) return
        setError(refusal)
        setSearch(addressWith('list', ''), { replace: true })
      },
    )
    return () => { over = true }
  }, [batch, number, looked, setSearch])

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
    setLooked(null)
    setSaid(`${count(done.counts.ok + done.counts.look, 'unit')} taken in, tagged ${done.first_tag} to ${done.last_tag}. Count them in as you see them.`)
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
            <ProblemNote error={error} />
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
