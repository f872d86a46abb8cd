import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useEffect, useRef, useState } from 'react'
import { NavLink, useNavigate, useParams, useSearchParams } from 'react-router'
import { type Schemas, api, ask } from '../api/client'
import { CopyCsv } from '../frame/CopyCsv'
import { ProblemNote } from '../frame/Problem'
import { addressWith, useFilter } from '../frame/filter'
import { count } from '../frame/words'
import { Editor } from './Editor'
import { Merge } from './Merge'
import { NewSheet } from './NewSheet'
import { OneSheet } from './OneSheet'
import { labelOf } from '../frame/vocabulary'

/** Sheets: what each model can hold and how it opens; written, compared, imported here. */
export function Sheets() {
  const { batch, sheet: key } = useParams()
  const navigate = useNavigate()
  const queries = useQueryClient()
  const sheets = useQuery({ queryKey: ['sheets'], queryFn: () => ask(api.GET('/api/sheets')) })
  const standards = useQuery({ queryKey: ['standards'], queryFn: () => ask(api.GET('/api/sheets/standards')) })
  const offered = useQuery({ queryKey: ['offered'], queryFn: () => ask(api.GET('/api/sheets/offered')) })
  const [filter, setFilter] = useFilter()
  const [search, setSearch] = useSearchParams()
  const merging = Number(search.get('merge')) || 0
  const merge = (of: string, number: number): void => void navigate(`${base}/${of}?${addressWith('merge', String(number))}`)
  const [draft, setDraft] = useState<Schemas['ModelSheet'] | null>(null)
  const [making, setMaking] = useState(false)
  const [guided, setGuided] = useState(false)
  const [error, setError] = useState<unknown>(null)
  const [said, setSaid] = useState<string[]>([])
  const chooser = useRef<HTMLInputElement>(null)
  const base = batch ? `/${batch}/sheets` : '/sheets'
  const shown = sheets.data?.find((use) => use.sheet.key === key) ?? sheets.data?.[0]
  const listed = sheets.data?.filter((use) => `${use.sheet.maker} ${use.sheet.model} ${use.sheet.summary}`.toLowerCase().includes(filter.toLowerCase()))
  const read = async (file: File | undefined): Promise<void> => {
    if (!file) return
    const form = new FormData()
    form.append('file', file)
    setError(null)
    try {
      const found = await ask(api.POST('/api/sheets/import', { body: { file: file.name }, bodySerializer: () => form }))
      void offered.refetch()
      if (!found.known) write(found.sheet, false)
      else if (found.offered) merge(found.sheet.key, found.offered)
      else setSaid([`${found.sheet.maker} ${found.sheet.model} is the same here; nothing was changed.`])
    } catch (refusal) {
      setError(refusal)
    }
  }
  const write = (sheet: Schemas['ModelSheet'], first: boolean): void => {
    setGuided(first)
    setDraft(sheet)
  }
  const begun = async (made: string): Promise<void> => {
    setMaking(false)
    navigate(`${base}/${made}`)
    try {
      write(await ask(api.GET('/api/sheets/{key}', { params: { path: { key: made } } })), true)
    } catch (refusal) {
      setError(refusal)
    }
  }
  // A model that was noted at the door leads here to be written.
  const asked = search.get('write') !== null ? sheets.data?.find((use) => use.sheet.key === key)?.sheet : undefined
  useEffect(() => {
    if (!asked) return
    write(asked, true)
    setSearch(addressWith('write', ''), { replace: true })
  })
  const saved = (answer: Schemas['Saved']): void => {
    setDraft(null)
    setSaid([`${answer.sheet.maker} ${answer.sheet.model}, version ${answer.sheet.version}, is saved.`, ...answer.left])
    void queries.invalidateQueries()
    navigate(`${base}/${answer.sheet.key}`)
  }
  if (draft) {
    const known = sheets.data?.find((use) => use.sheet.key === draft.key)
    return <Editor sheet={draft} startedFrom={known?.sheet.version ?? 0} guided={guided} onSaved={saved} onLeave={() => setDraft(null)} />
  }
  return (
    <div className="grow flex max-md:flex-col">
      <aside aria-label="Model sheets" className="w-60 max-md:w-full max-md:max-h-72 shrink-0 border-r border-base-300 pt-4 pl-7 flex flex-col">
        <h2 className="mb-2">Model sheets</h2>
        <input className="input input-sm mr-3 mb-2 w-auto bg-base-100" placeholder="Filter by name or shape" aria-label="Filter sheets" value={filter} onChange={(event) => setFilter(event.target.value)} />
        <ul className="-ml-2 overflow-y-auto h-[calc(100dvh-20rem)] min-h-40">
          {listed?.map((use) => (
            <li key={use.sheet.key}>
              <NavLink to={`${base}/${use.sheet.key}${filter ? `?filter=${encodeURIComponent(filter)}` : ''}`} onClick={() => setSaid([])} className={`block py-1.5 pl-2 pr-3 leading-tight ${use === shown ? 'current-row' : 'hover:bg-base-100'}`}>
                <b>{use.sheet.maker} {use.sheet.model}</b>
                <span className="block text-sm quiet">{labelOf('MachineForm', use.sheet.form)} · {count(use.units, 'unit')}</span>
              </NavLink>
            </li>
          ))}
          {listed?.length === 0 && <li className="quiet text-sm px-2 py-3">No sheet matches the filter.</li>}
        </ul>
        {(offered.data ?? []).length > 0 && (
          <div className="border-l-4 border-accent bg-base-100 px-3 py-2 mr-3 mt-2 text-note">
            <b>From other workshops</b>
            {offered.data?.map((line) => <button type="button" key={line.id} className="underline block text-left py-1" onClick={() => merge(line.key, line.id)}>{line.name}, {count(line.questions, 'question')}</button>)}
          </div>
        )}
        <div className="flex flex-col items-start gap-1 py-3 text-note">
          <button type="button" className="underline py-1" onClick={() => setMaking(true)}>Begin a new sheet</button>
          <button type="button" className="underline py-1" onClick={() => chooser.current?.click()}>Read a sheet from a file</button>
          <a className="underline py-1" href="/api/sheets/schema.json">Schema of a sheet</a>
          <CopyCsv headings={['maker', 'model', 'form', 'year', 'version', 'units', 'summary']} rows={(listed ?? []).map(({ sheet, units }) => [sheet.maker, sheet.model, sheet.form, String(sheet.year), String(sheet.version), String(units), sheet.summary])} />
          <input ref={chooser} type="file" accept=".json,application/json" className="sr-only" tabIndex={-1} aria-label="Sheet file" onChange={(event) => { void read(event.target.files?.[0]); event.target.value = '' }} />
        </div>
      </aside>
      <div className="grow px-7 pt-4 pb-8 min-w-0 overflow-x-auto">
        <ProblemNote error={sheets.error ?? standards.error ?? error} />
        {said.length > 0 && <div role="status" className="border-l-4 border-success bg-base-100 px-4 py-2 mb-3">{said.map((sentence) => <p key={sentence}>{sentence}</p>)}</div>}
        {making && <NewSheet name="" near={shown?.sheet.key ?? ''} onMade={(made) => void begun(made)} onLeave={() => setMaking(false)} />}
        {merging > 0 && <Merge key={merging} number={merging} onSaved={saved} onLeave={() => { setSearch(addressWith('merge', '')); void offered.refetch() }} />}
        {shown && merging === 0 && <OneSheet key={shown.sheet.key} use={shown} standards={standards.data ?? []} onEdit={() => write(shown.sheet, !shown.sheet.written)} onSaved={saved} />}
      </div>
    </div>
  )
}
