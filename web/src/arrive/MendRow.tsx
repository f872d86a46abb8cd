import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { type Schemas, api, ask } from '../api/client'

interface Props {
  row: Schemas['RowVerdict']
  onMend: (given: Schemas['RowMend']) => void
  onLeave: () => void
}

/** One row that cannot be taken in as it is written: mended in place, left out with a reason, or set aside. */
export function MendRow({ row, onMend, onLeave }: Props) {
  const sheets = useQuery({ queryKey: ['sheets'], queryFn: () => ask(api.GET('/api/sheets')) })
  const [tag, setTag] = useState(row.tag)
  const [serial, setSerial] = useState(row.serial)
  const [sheet, setSheet] = useState(row.sheet)
  const [notes, setNotes] = useState(row.notes)
  const [comesWith, setComesWith] = useState(row.comes_with)
  const [why, setWhy] = useState('')
  const mended: Schemas['RowMend'] = {
    left_out: '',
    aside: false,
    // A cell that cannot be read shows nothing here, and nothing is what is meant then.
    notes,
    comes_with: comesWith,
    ...(tag !== row.tag || row.written_tag ? { tag } : {}),
    ...(serial !== row.serial || row.written_serial ? { serial } : {}),
    ...(sheet && sheet !== row.sheet ? { sheet } : {}),
  }
  return (
    <form className="my-2 p-3 bg-base-100 border border-base-300 font-normal text-base-content grid gap-2" aria-label={`Mend line ${row.line}`} onSubmit={(event) => { event.preventDefault(); onMend(mended) }}>
      <div className="flex flex-wrap gap-2 items-end">
        <label>Tag, blank for the next<input autoFocus className="input h-11 w-32 bg-base-100 block tag" value={tag} onChange={(event) => setTag(event.target.value)} /></label>
        <label>Serial<input className="input h-11 w-44 bg-base-100 block font-mono" value={serial} onChange={(event) => setSerial(event.target.value)} /></label>
        <label>Model sheet
          <select className="select h-11 w-52 bg-base-100 flex" value={sheet} onChange={(event) => setSheet(event.target.value)}>
            <option value="">as the list says</option>
            {sheets.data?.map((use) => <option key={use.sheet.key} value={use.sheet.key}>{use.sheet.maker} {use.sheet.model}</option>)}
          </select>
        </label>
      </div>
      <div className="flex flex-wrap gap-2 items-end">
        <label>Notes<input className="input h-11 w-60 bg-base-100 block" value={notes} maxLength={200} onChange={(event) => setNotes(event.target.value)} /></label>
        <label>Comes with<input className="input h-11 w-44 bg-base-100 block" value={comesWith} maxLength={200} onChange={(event) => setComesWith(event.target.value)} /></label>
        <button type="submit" className="btn btn-primary btn-bench">Mend it</button>
      </div>
      <div className="flex flex-wrap gap-2 items-end">
        <label>Or why it is left out<input className="input h-11 w-60 bg-base-100 block" value={why} maxLength={200} placeholder="stands twice on the list" onChange={(event) => setWhy(event.target.value)} /></label>
        <button type="button" className="btn btn-outline btn-bench" disabled={!why.trim()} onClick={() => onMend({ left_out: why, aside: false })}>Leave it out</button>
        <button type="button" className="btn btn-outline btn-bench" onClick={() => onMend({ left_out: '', aside: true })}>Set it aside</button>
        {row.mended && <button type="button" className="btn btn-ghost btn-bench" onClick={() => onMend({ left_out: '', aside: false })}>As it was written</button>}
        <button type="button" className="btn btn-ghost btn-bench" onClick={onLeave}>Never mind</button>
      </div>
    </form>
  )
}
