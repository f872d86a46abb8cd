import { useRef, useState } from 'react'
import { type Schemas, api, ask } from '../api/client'
import { StockRowState } from '../api/vocabulary'
import { ProblemNote } from '../frame/Problem'
import { didAtOnce } from '../frame/Undo'
import { choicesOf } from '../frame/vocabulary'
import { count, money } from '../frame/words'

type Mapping = { columns: Record<string, number>; condition: string | null; chosen: Record<string, string> }
const MARKS: Record<Schemas['StockRowState'], string> = { ok: '●', look: '◐', fault: '○' }
const SHOWN = 200

/** A stock list in any columns: every row with its verdict, booked in all or nothing. */
export function FirstStock({ kinds, onDone }: { kinds: Schemas['PartKind'][]; onDone: () => void }) {
  const [file, setFile] = useState<File | null>(null)
  const [table, setTable] = useState<Schemas['StockTable'] | null>(null)
  const [mapping, setMapping] = useState<Mapping>({ columns: {}, condition: null, chosen: {} })
  const [error, setError] = useState<unknown>(null)
  const chooser = useRef<HTMLInputElement>(null)
  const send = (path: '/api/furnish/stock-list/look' | '/api/furnish/stock-list/take', one: File, said: Mapping | null) => {
    const form = new FormData()
    form.append('file', one)
    form.append('mapping', said ? JSON.stringify(said) : '')
    return { body: { file: one.name, mapping: '' }, bodySerializer: () => form, path }
  }
  const look = async (one: File | undefined, said: Mapping | null): Promise<void> => {
    if (!one) return
    setFile(one)
    try {
      const { body, bodySerializer } = send('/api/furnish/stock-list/look', one, said)
      const found = await ask(api.POST('/api/furnish/stock-list/look', { body, bodySerializer }))
      setTable(found)
      setMapping({ columns: found.columns as Record<string, number>, condition: said?.condition ?? null, chosen: said?.chosen ?? {} })
      setError(null)
    } catch (refusal) {
      setTable(null)
      setError(refusal)
    }
  }
  const say = (next: Mapping): void => void look(file ?? undefined, next)
  const take = async (): Promise<void> => {
    if (!file) return
    try {
      const { body, bodySerializer } = send('/api/furnish/stock-list/take', file, mapping)
      const booked = await ask(api.POST('/api/furnish/stock-list/take', { body, bodySerializer }))
      didAtOnce(`${count(booked.parts, 'part')} booked in.`, async () => {
        const back = await ask(api.POST('/api/stock/acts/{act}/back', { params: { path: { act: booked.act } } }))
        return `Taken back: ${back.words}.`
      })
      onDone()
    } catch (refusal) {
      setError(refusal)
    }
  }
  const faults = table?.rows.filter((row) => row.state === StockRowState.FAULT).length ?? 0
  const total = table?.rows.reduce((sum, row) => sum + row.count, 0) ?? 0
  return (
    <section className="bg-base-100 border border-base-300 p-4 mb-4" aria-label="A stock list">
      <input ref={chooser} type="file" accept=".csv,.tsv,.txt,.xlsx,text/csv" className="sr-only" tabIndex={-1} aria-label="Stock list file" onChange={(event) => { void look(event.target.files?.[0], null); event.target.value = '' }} />
      <div className="flex flex-wrap items-center gap-4 mb-2">
        <p className="grow">{table ? <><b>{file?.name}</b> · {count(table.rows.length, 'row')}, {count(total, 'part')}{faults > 0 && <b className="fitink"> · {faults} cannot be booked in</b>}. Nothing is kept yet.</> : 'CSV or XLSX with any columns: part, count, place; cost of one and condition where the list says them.'}</p>
        <button type="button" className="btn btn-outline btn-bench" onClick={() => chooser.current?.click()}>{table ? 'Another file' : 'Choose the list'}</button>
        {table && <button type="button" className="btn btn-primary btn-bench" disabled={faults > 0 || !!table.refusal || table.rows.length === 0} onClick={() => void take()}>Book {count(total, 'part')} in</button>}
      </div>
      <ProblemNote error={error} />
      {table?.refusal && <p role="alert" className="border-l-4 border-accent px-4 py-2 mb-2">{table.refusal}</p>}
      {table && (
        <div className="flex flex-wrap gap-3 mb-3">
          {choicesOf('StockField').map(([field, label]) => (
            <label key={field}>{label}
              <select className="select h-10 w-40 bg-base-100 flex" value={mapping.columns[field] ?? ''} onChange={(event) => {
                const others = Object.fromEntries(Object.entries(mapping.columns).filter(([known]) => known !== field))
                say({ ...mapping, columns: event.target.value === '' ? others : { ...others, [field]: Number(event.target.value) } })
              }}>
                <option value="">no column</option>
                {table.headers.map((header, at) => <option key={`${at} ${header}`} value={at}>{header}</option>)}
              </select>
            </label>
          ))}
          <label>condition of the whole list
            <select className="select h-10 w-48 bg-base-100 flex" value={mapping.condition ?? ''} onChange={(event) => say({ ...mapping, condition: event.target.value || null })}>
              <option value="">say which</option>
              {choicesOf('Condition').map(([code, label]) => <option key={code} value={code}>{label}</option>)}
            </select>
          </label>
        </div>
      )}
      {table && table.rows.length > 0 && (
        <table className="w-full text-note">
          <thead><tr className="border-b border-base-content"><td className="w-6" /><th>line</th><th>part</th><th className="text-right pr-4">count</th><th>place</th><th className="text-right pr-4">cost of one</th><th>verdict</th></tr></thead>
          <tbody>
            {[...table.rows].sort((one, other) => Number(other.state === StockRowState.FAULT) - Number(one.state === StockRowState.FAULT)).slice(0, SHOWN).map((row) => (
              <tr key={row.line} className={`rule-b ${row.state === StockRowState.FAULT ? 'fitink' : ''}`}>
                <td>{MARKS[row.state]}</td><td className="figures pr-3">{row.line}</td><td className="pr-3">{row.label || row.name}</td><td className="text-right pr-4">{row.count}</td><td className="pr-3">{row.place}</td><td className="text-right pr-4">{money(row.unit_cost_cents)}</td>
                <td>{row.sentence || 'understood'}
                  {!row.kind && row.name && (
                    <select className="select select-sm bg-base-100 ml-2 inline-flex w-44" aria-label={`Part kind of ${row.name}`} value="" onChange={(event) => say({ ...mapping, chosen: { ...mapping.chosen, [row.plain_name]: event.target.value } })}>
                      <option value="">it is …</option>
                      {kinds.map((kind) => <option key={kind.key} value={kind.key}>{kind.label}</option>)}
                    </select>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </section>
  )
}
