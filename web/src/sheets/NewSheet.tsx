import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { api, ask } from '../api/client'
import { BegunForm } from '../frame/begun'
import { ProblemNote } from '../frame/Problem'

interface Props {
  /** Maker and model as somebody wrote them. */
  name: string
  near: string
  /** Tag of a unit whose read-out the sheet may be begun from. */
  tag?: string
  onMade: (key: string) => void
  /** Missing where there is nothing else to do first. */
  onLeave?: () => void
}

const READ_OUT = ':read-out'

/** Begin a sheet for an unknown model from the nearest one; every figure in it is a guess at first. */
export function NewSheet({ name, near, tag, onMade, onLeave }: Props) {
  const sheets = useQuery({ queryKey: ['sheets'], queryFn: () => ask(api.GET('/api/sheets')) })
  const queries = useQueryClient()
  const [error, setError] = useState<unknown>(null)
  const [maker, ...model] = name.split(' ')
  // The nearest sheet is chosen among those that are there.
  if (!sheets.data) return null
  return (
    <BegunForm
      place={`sheet.${name}`}
      className="w-full flex flex-wrap gap-3 items-end bg-base-100 border border-base-300 p-3"
      aria-label="A new sheet"
      onSend={async (sent) => {
        const form = new FormData(sent)
        const text = (field: string): string => String(form.get(field) ?? '').trim()
        try {
          const draft = await ask(api.POST('/api/sheets/begin', { body: { maker: text('maker'), model: text('model'), near: text('near') === READ_OUT ? '' : text('near'), tag: text('near') === READ_OUT ? (tag ?? '') : '' } }))
          // One that was only noted at the door is written on.
          const noted = sheets.data.find((use) => use.sheet.key === draft.key && !use.sheet.written)
          const saved = await ask(api.POST('/api/sheets', { body: { document: draft, started_from: noted?.sheet.version ?? 0, words: text('near') === READ_OUT ? `begun from the read-out of ${tag}` : text('near') ? `begun from ${text('near')}` : 'begun from nothing', move_waiting: noted !== undefined } }))
          await queries.invalidateQueries({ queryKey: ['sheets'] })
          onMade(saved.sheet.key)
          return true
        } catch (refusal) {
          setError(refusal)
          return false
        }
      }}
    >
      <label>Maker<input name="maker" required maxLength={60} defaultValue={maker} className="input input-bordered h-11 w-40 block" /></label>
      <label>Model<input name="model" required maxLength={60} defaultValue={model.join(' ')} className="input input-bordered h-11 w-52 block" autoFocus={Boolean(onLeave)} /></label>
      <label>Most like
        <select name="near" defaultValue={tag ? READ_OUT : near} className="select select-bordered h-11 w-64 flex">
          {tag && <option value={READ_OUT}>what {tag} says of itself</option>}
          <option value="">nothing here: an empty sheet</option>
          {sheets.data.filter((use) => use.sheet.written).map((use) => <option key={use.sheet.key} value={use.sheet.key}>{use.sheet.maker} {use.sheet.model}</option>)}
        </select>
      </label>
      <button type="submit" className="btn btn-primary btn-bench">Begin the sheet</button>
      {onLeave && <button type="button" className="btn btn-ghost btn-bench" onClick={onLeave}>Leave it</button>}
      <ProblemNote error={error} />
    </BegunForm>
  )
}
