import { Camera } from 'lucide-react'
import { useEffect, useRef, useState } from 'react'
import { type Schemas, api, ask } from '../api/client'
import { ProblemNote } from '../frame/Problem'
import { useKeys } from '../frame/keys'
import { clock } from '../frame/words'

interface Props {
  view: Schemas['InspectionView']
  dropped: React.RefObject<File | null>
  onChange: (view: Schemas['InspectionView']) => void
  onClose: () => void
}

/** Pictures of damage on the unit: taken, dropped in or chosen. */
export function Photos({ view, dropped, onChange, onClose }: Props) {
  const [words, setWords] = useState('')
  const [error, setError] = useState<unknown>(null)
  const [busy, setBusy] = useState(false)
  const [gone, setGone] = useState(0)
  const chooser = useRef<HTMLInputElement>(null)
  const { tag } = view
  const attempt = async (call: () => Promise<Schemas['InspectionView']>): Promise<void> => {
    setError(null)
    setBusy(true)
    try {
      onChange(await call())
    } catch (refusal) {
      setError(refusal)
    } finally {
      setBusy(false)
    }
  }
  const send = (file: File | null | undefined): void => {
    if (!file) return
    const form = new FormData()
    form.append('file', file)
    form.append('words', words)
    setWords('')
    void attempt(() => ask(api.POST('/api/units/{tag}/photos', { params: { path: { tag } }, body: { file: file.name, words }, bodySerializer: () => form })))
  }
  // biome-ignore lint/correctness/useExhaustiveDependencies: it runs when what it names changes, not at every drawing
  useEffect(() => {
    if (dropped.current) {
      send(dropped.current)
      dropped.current = null
    }
  }, [])
  useKeys('Pictures', [
    { key: 'c', does: 'take or choose a picture', act: () => chooser.current?.click() },
    { key: 'Escape', does: 'back to the strip', act: onClose },
  ])
  const one = (number: number) => ({ params: { path: { tag, number } } })
  return (
    <section aria-label="Pictures" className="mb-3">
      <div className="flex gap-3 items-center mb-2">
        <input className="input input-bordered h-11 grow bg-base-100" placeholder="What it shows, for example: crack at the left hinge" aria-label="What the picture shows" maxLength={200} value={words} onChange={(event) => setWords(event.target.value)} />
        <button type="button" className="btn btn-outline btn-bench" onClick={() => chooser.current?.click()}><Camera size={18} aria-hidden="true" /> Take or choose <kbd>C</kbd></button>
        <input ref={chooser} type="file" accept="image/jpeg,image/png,image/webp" capture="environment" className="sr-only" tabIndex={-1} aria-label="Picture" onChange={(event) => { send(event.target.files?.[0]); event.target.value = '' }} />
      </div>
      <ProblemNote error={error} />
      {gone > 0 && <p role="status" className="mb-2">Taken off. <button type="button" className="underline" onClick={() => { void attempt(() => ask(api.POST('/api/units/{tag}/photos/{number}/back', one(gone)))); setGone(0) }}>Put it back</button></p>}
      {view.photos.length === 0 && <p className="quiet">{busy ? 'Keeping the picture …' : 'No picture yet. Drop one anywhere on this screen, or take one.'}</p>}
      <ul className="flex flex-wrap gap-3">
        {view.photos.map((photo) => (
          <li key={photo.number} className="w-52">
            <a href={`/api/units/${tag}/photos/${photo.number}.jpg`} target="_blank" rel="noreferrer">
              <img src={`/api/units/${tag}/photos/${photo.number}.jpg`} alt={photo.words || `picture of ${tag}`} className="w-52 h-36 object-cover border border-base-300" loading="lazy" />
            </a>
            <p className="text-sm leading-snug">{photo.words || 'no words'}<span className="quiet block">{photo.by}, {clock(photo.at)} · <button type="button" className="underline" onClick={() => { setGone(photo.number); void attempt(() => ask(api.DELETE('/api/units/{tag}/photos/{number}', one(photo.number)))) }}>take off</button></span></p>
          </li>
        ))}
      </ul>
    </section>
  )
}
