import { useQuery, useQueryClient } from '@tanstack/react-query'
import { Camera } from 'lucide-react'
import { type MouseEvent, useRef, useState } from 'react'
import { type Schemas, api, ask } from '../api/client'
import { ProblemNote } from '../frame/Problem'
import { shows } from '../frame/shows'

type Picture = Schemas['UnitPicture']
type Mark = Schemas['PictureMark']

/** Pictures of the closed unit for its buyer: their order kept, damage marked where it is. */
export function Pictures({ tag }: { tag: string }) {
  const key = ['pictures', tag]
  const path = { params: { path: { tag } } }
  const query = useQuery({ queryKey: key, queryFn: () => ask(api.GET('/api/units/{tag}/pictures', path)) })
  const queries = useQueryClient()
  const [error, setError] = useState<unknown>(null)
  const [busy, setBusy] = useState(false)
  const [open, setOpen] = useState(0)
  const [at, setAt] = useState<{ x: number; y: number } | null>(null)
  const chooser = useRef<HTMLInputElement>(null)
  const pictures = query.data ?? []
  const shown = pictures.filter((one) => one.shown)
  const inside = pictures.filter((one) => !one.shown)
  const attempt = async (call: () => Promise<Picture[]>): Promise<void> => {
    setBusy(true)
    try {
      shows(queries, key, await call())
      setError(null)
    } catch (refusal) {
      setError(refusal)
      void query.refetch()
    }
    setBusy(false)
  }
  const put = (next: Picture[]): void => void attempt(() => ask(api.PUT('/api/units/{tag}/pictures', { ...path, body: { known: shown.map((one) => one.number), shown: next.map(({ number, words, marks }) => ({ number, words, marks })) } })))
  const change = (number: number, part: Partial<Picture>): void => put(shown.map((one) => (one.number === number ? { ...one, ...part } : one)))
  const move = (from: number, by: number): void => {
    const next = [...shown]
    const [one] = next.splice(from, 1)
    if (one) next.splice(from + by, 0, one)
    put(next)
  }
  const take = async (files: FileList | null): Promise<void> => {
    for (const file of files ?? []) {
      const form = new FormData()
      form.append('file', file)
      await attempt(() => ask(api.POST('/api/units/{tag}/pictures', { ...path, body: { file: file.name, words: '' }, bodySerializer: () => form })))
    }
  }
  const first = (number: number): number => shown.slice(0, shown.findIndex((one) => one.number === number)).reduce((sum, one) => sum + one.marks.length, 0)
  const current = shown.find((one) => one.number === open)
  const point = (event: MouseEvent<SVGSVGElement>): void => {
    const box = event.currentTarget.getBoundingClientRect()
    setAt({ x: (event.clientX - box.left) / box.width, y: (event.clientY - box.top) / box.height })
  }
  const mark = (words: string): void => {
    if (!current || !at || !words.trim()) return
    change(current.number, { marks: [...current.marks, { ...at, words: words.trim() }] })
    setAt(null)
  }
  return (
    <section aria-label="Pictures for the buyer" className="mt-5">
      <div className="flex items-center gap-3 mb-2">
        <h2 className="grow">Pictures for the buyer <span className="quiet text-base font-normal">the closed unit, from several sides</span></h2>
        {busy && <span role="status" className="quiet">Keeping …</span>}
        <button type="button" className="btn btn-outline btn-bench font-normal" onClick={() => chooser.current?.click()}><Camera size={18} aria-hidden="true" /> Take or choose</button>
        <input ref={chooser} type="file" multiple accept="image/jpeg,image/png,image/webp" className="sr-only" tabIndex={-1} aria-label="Pictures of the closed unit" onChange={(event) => { const files = event.target.files; void take(files).finally(() => { if (chooser.current) chooser.current.value = '' }) }} />
      </div>
      <ProblemNote error={error ?? query.error} />
      {shown.length === 0 && <p className="quiet">The buyer sees none yet.</p>}
      <ol className="flex flex-wrap gap-3">
        {shown.map((one, n) => (
          <li key={one.number} className="w-40">
            <button type="button" aria-expanded={open === one.number} className={`block border-2 ${open === one.number ? 'border-base-content' : 'border-base-300'}`} onClick={() => { setOpen(open === one.number ? 0 : one.number); setAt(null) }}>
              <Drawn tag={tag} picture={one} first={first(one.number)} className="w-[9.75rem] h-28" />
            </button>
            <p className="text-sm flex items-center gap-1">
              <b className="grow">{n + 1}{n === 0 && <span className="quiet font-normal"> in the listing</span>}</b>
              <button type="button" className="btn btn-ghost btn-sm min-h-11" disabled={n === 0} aria-label={`Picture ${n + 1} earlier`} onClick={() => move(n, -1)}>←</button>
              <button type="button" className="btn btn-ghost btn-sm min-h-11" disabled={n === shown.length - 1} aria-label={`Picture ${n + 1} later`} onClick={() => move(n, 1)}>→</button>
            </p>
          </li>
        ))}
      </ol>
      {current && (
        <div className="grid grid-cols-[minmax(0,2fr)_minmax(12rem,1fr)] max-sm:grid-cols-1 gap-5 mt-2 border-l-4 border-base-content bg-base-100 p-3">
          <div>
            <p className="quiet mb-1">Click where damage is, then say what it is.</p>
            <Drawn tag={tag} picture={current} first={first(current.number)} at={at} onPoint={point} className="w-full max-w-[40rem] block" />
            {at && (
              <form className="flex gap-2 mt-2" onSubmit={(event) => { event.preventDefault(); mark(String(new FormData(event.currentTarget).get('words'))) }}>
                <input name="words" required autoFocus maxLength={80} aria-label="What the damage is" placeholder="scratch, 2 cm" className="input h-11 grow bg-base-100" />
                <button type="submit" className="btn btn-primary btn-bench">Mark it</button>
                <button type="button" className="btn btn-ghost btn-bench" onClick={() => setAt(null)}>Never mind</button>
              </form>
            )}
          </div>
          <div>
            <label className="block">Which side<input key={current.number} className="input h-11 w-full bg-base-100" maxLength={200} defaultValue={current.words} onBlur={(event) => { if (event.target.value !== current.words) change(current.number, { words: event.target.value }) }} /></label>
            <ol className="my-2">{current.marks.map((one, n) => <li key={`${one.x} ${one.y}`} className="rule-t py-1 flex gap-2"><b className="w-6">{first(current.number) + n + 1}</b><span className="grow">{one.words}</span><button type="button" className="underline quiet" onClick={() => change(current.number, { marks: current.marks.filter((_, m) => m !== n) })}>take off</button></li>)}</ol>
            <button type="button" className="underline quiet py-2" onClick={() => { put(shown.filter((one) => one.number !== current.number)); setOpen(0) }}>Keep it inside</button>
          </div>
        </div>
      )}
      {inside.length > 0 && (
        <details className="mt-2"><summary className="cursor-pointer quiet py-1">{inside.length} kept inside</summary>
          <ul className="flex flex-wrap gap-3 mt-1">{inside.map((one) => <li key={one.number} className="w-40"><Drawn tag={tag} picture={one} first={0} className="w-40 h-28" /><p className="text-sm">{one.words} <button type="button" className="underline min-h-11" onClick={() => put([...shown, one])}>Show it to the buyer</button></p></li>)}</ul>
        </details>
      )}
    </section>
  )
}

interface DrawnProps {
  tag: string
  picture: Picture
  /** How many marks the pictures before it carry. */
  first: number
  at?: { x: number; y: number } | null
  onPoint?: (event: MouseEvent<SVGSVGElement>) => void
  className: string
}

/** A picture with its marks numbered through. */
function Drawn({ tag, picture, first, at, onPoint, className }: DrawnProps) {
  const { width, height } = picture
  const r = width / 30
  const dot = (mark: { x: number; y: number }, words: string, key: string) => (
    <g key={key}>
      <circle cx={mark.x * width} cy={mark.y * height} r={r} fill="var(--fit)" stroke="#fff" strokeWidth={r / 6} />
      <text x={mark.x * width} y={mark.y * height + r * 0.42} textAnchor="middle" fontSize={r * 1.25} fontWeight="700" fill="#fff">{words}</text>
    </g>
  )
  const told = [picture.words || `picture of ${tag}`, ...picture.marks.map((mark: Mark) => mark.words)].join('; ')
  return (
    // biome-ignore lint/a11y/useKeyWithClickEvents: a mark is a point; what it says is typed beside it
    <svg viewBox={`0 0 ${width} ${height}`} role="img" aria-label={told} className={`${className} ${onPoint ? 'cursor-crosshair' : ''}`} onClick={onPoint}>
      <image href={`/api/units/${tag}/photos/${picture.number}.jpg`} width={width} height={height} />
      {picture.marks.map((mark, n) => dot(mark, String(first + n + 1), `${mark.x} ${mark.y}`))}
      {at && dot(at, '+', 'new')}
    </svg>
  )
}
