import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useEffect, useRef, useState } from 'react'
import { useSearchParams } from 'react-router'
import { type Schemas, api, ask } from '../api/client'
import { ProblemNote } from '../frame/Problem'
import { addressWith } from '../frame/filter'
import { useKeys } from '../frame/keys'
import { count, figure } from '../frame/words'
import { MendRow } from './MendRow'
import { NewSheet } from '../sheets/NewSheet'
import { ImportState, RowState } from '../api/vocabulary'
import { labelOf } from '../frame/vocabulary'

interface Props {
  batch: string
  view: Schemas['ImportView']
  onView: (view: Schemas['ImportView']) => void
  onTaken: (view: Schemas['ImportView']) => void
  onOther: () => void
  onLeave: () => void
}

const PAGE = 100
/** Longer serial numbers are broken; shorter ones stand in one line. */
const NOWRAP = 24
const ASK_AGAIN_MS = 400
const STATES = [['', 'all'], [RowState.LOOK, 'look at'], [RowState.FAULT, 'cannot be taken in'], [RowState.LEFT_OUT, 'left out'], [RowState.ASIDE, 'set aside']] as const
const MARKS: Record<Schemas['RowState'], string> = { ok: '●', look: '◐', fault: '○', left_out: '×', aside: '…' }

/** A manifest before it is taken in: what its columns mean, and the verdict on every row. */
export function Manifest({ batch, view, onView, onTaken, onOther, onLeave }: Props) {
  const [error, setError] = useState<unknown>(null)
  const [search, setSearch] = useSearchParams()
  const state = search.get('rows') ?? ''
  const setState = (rows: string): void => setSearch(addressWith('rows', rows), { replace: true })
  const [offset, setOffset] = useState(0)
  const [mending, setMending] = useState<number | null>(null)
  const queries = useQueryClient()
  const path = { params: { path: { slug: batch, number: view.number } } }
  const working = view.state === ImportState.CHECKING || view.state === ImportState.TAKING
  const rows = useQuery({
    queryKey: ['manifest', view.number, view.state, view.columns, view.counts, state, offset],
    queryFn: () => ask(api.GET('/api/batches/{slug}/manifests/{number}/rows', { params: { ...path.params, query: { state, offset } } })),
    enabled: !working,
    placeholderData: (old) => old,
  })
  /** What the columns are to mean; the next choice builds on it before the last one is answered. */
  const columns = useRef(view.columns)
  const turn = useRef(0)
  const attempt = async (call: () => Promise<Schemas['ImportView']>, mine = ++turn.current): Promise<void> => {
    setError(null)
    try {
      const now = await call()
      if (mine !== turn.current) return
      columns.current = now.columns
      if (now.state === ImportState.TAKEN) onTaken(now)
      else onView(now)
    } catch (refusal) {
      setError(refusal)
    }
  }
  useEffect(() => {
    if (!working) return
    const timer = setTimeout(() => void attempt(() => ask(api.GET('/api/batches/{slug}/manifests/{number}', path))), ASK_AGAIN_MS)
    return () => clearTimeout(timer)
  })
  /** One after another: the server judges a list once at a time, and a second choice must not be lost. */
  const last = useRef<Promise<void>>(Promise.resolve())
  const correct = (body: Schemas['Correction']): void => {
    const mine = ++turn.current
    last.current = last.current.then(() => attempt(() => ask(api.PUT('/api/batches/{slug}/manifests/{number}', { ...path, body })), mine))
  }
  const ready = view.state === ImportState.READY && !view.refusal && view.counts.fault === 0 && view.total > 0
  const take = (): void => { if (ready) void attempt(() => ask(api.POST('/api/batches/{slug}/manifests/{number}/take', path))) }
  const stop = (): void => void attempt(() => ask(api.POST('/api/batches/{slug}/manifests/{number}/stop', path)))
  const mend = (line: number, body: Schemas['RowMend']): void => void attempt(() => ask(api.PUT('/api/batches/{slug}/manifests/{number}/rows/{line}', { params: { path: { ...path.params.path, line } }, body })))
  const faulty = view.state === ImportState.READY && !view.refusal && view.counts.fault > 0
  const setAside = (): void => { if (faulty) void attempt(() => ask(api.POST('/api/batches/{slug}/manifests/{number}/aside', path))) }
  const note = (name: string, maker: string, model: string): void => void attempt(async () => {
    const now = await ask(api.POST('/api/batches/{slug}/manifests/{number}/model', { ...path, body: { name, maker, model } }))
    await queries.invalidateQueries({ queryKey: ['sheets'] })
    return now
  })
  const map = (column: number, field: string): void => {
    const others = Object.fromEntries(Object.entries(columns.current).filter(([known, at]) => at !== column && known !== field))
    columns.current = field ? { ...others, [field]: column } : others
    onView({ ...view, columns: columns.current })
    correct({ columns: columns.current })
  }
  useKeys('Manifest', [
    { key: 't', does: 'take the list in', act: take, off: ready ? '' : 'rows or columns are still unclear' },
    { key: 'a', does: 'set aside what cannot be taken in, to be mended later', act: setAside, off: faulty ? '' : 'every row can be taken in' },
    { key: 'Escape', does: 'leave it', act: onLeave },
  ])
  return (
    <section aria-label="Manifest">
      <div className="flex items-center gap-4 mb-2">
        <div className="grow min-w-0">
          <h1 className="truncate">{view.name}</h1>
          <p>
            {working ? `${view.doing} …` : view.refusal && view.state === ImportState.READY ? 'Say what the columns mean. Nothing is kept yet.' : view.state === ImportState.STOPPED ? 'Stopped; nothing was taken in.' : <><b>{figure(view.counts.ok)}</b> understood · <b className={view.counts.look ? 'fitink' : ''}>{figure(view.counts.look)}</b> to look at · <b className={view.counts.fault ? 'fitink' : ''}>{figure(view.counts.fault)}</b> cannot be taken in{view.counts.left_out > 0 && <> · <b>{view.counts.left_out}</b> left out</>}{view.counts.aside > 0 && <> · <b>{view.counts.aside}</b> set aside</>}. Nothing is kept yet.</>}
          </p>
        </div>
        <button type="button" className="btn btn-ghost btn-bench" onClick={onLeave}>Leave it <kbd>Esc</kbd></button>
        {faulty && <button type="button" className="btn btn-outline btn-bench" onClick={setAside}>Set {figure(view.counts.fault)} aside <kbd>A</kbd></button>}
        <button type="button" className="btn btn-outline btn-bench" onClick={onOther}>Another file <kbd>M</kbd></button>
        {view.state === ImportState.STOPPED
          ? <button type="button" className="btn btn-primary btn-bench" onClick={() => correct({})}>Read it again</button>
          : <button type="button" className="btn btn-primary btn-bench" disabled={!ready} onClick={take}>Take {count(view.counts.ok + view.counts.look, 'unit')} in <kbd>T</kbd></button>}
      </div>
      {working && (
        <div className="flex items-center gap-4 my-3">
          <progress className="progress grow h-3" value={view.done} max={view.total} aria-label={view.doing} />
          <span className="whitespace-nowrap">{figure(view.done)} of {figure(view.total)} rows</span>
          <button type="button" className="btn btn-outline btn-bench" onClick={stop}>Stop</button>
        </div>
      )}
      <ProblemNote error={error} />
      {view.refusal && <p role="alert" className="border-l-4 border-accent bg-base-100 px-4 py-2 mb-3">{view.refusal}</p>}
      <div className="overflow-x-auto mb-4">
        <table className="text-note">
          <caption className="sr-only">What the columns mean</caption>
          <thead>
            <tr className="align-bottom">
              {view.headers.map((header, column) => {
                const field = Object.entries(view.columns).find(([, at]) => at === column)?.[0] ?? ''
                return (
                  <th key={column} className="pr-3 pb-1 min-w-32">
                    <label className="block"><span className="block truncate max-w-44">{header}</span>
                      <select className={`select select-sm bg-base-100 w-full ${field ? 'font-bold text-base-content' : ''}`} value={field} disabled={working} onChange={(event) => map(column, event.target.value)}>
                        <option value="">not used</option>
                        {view.fields.map((one) => <option key={one} value={one}>{labelOf('Field', one)}</option>)}
                      </select>
                    </label>
                  </th>
                )
              })}
            </tr>
          </thead>
          <tbody>
            {view.samples.map((cells, index) => (
              <tr key={index} className="rule-t">
                {view.headers.map((_, column) => <td key={column} className="py-0.5 pr-3 truncate max-w-44 quiet">{cells[column]}</td>)}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      {[...view.unclear.map((name) => ({ ...name, sure: false })), ...view.likely.map((name) => ({ ...name, sure: true }))].length > 0 && !working && (
        <div className="mb-4">
          <h2 className="mb-1">Names that are not a sheet’s</h2>
          <ul>
            {view.unclear.map((name) => <ModelName key={name.name} name={name} onChoose={(sheet) => correct({ chosen: { [name.name]: sheet } })} onNote={(maker, model) => note(name.name, maker, model)} />)}
            {view.likely.map((name) => <ModelName key={name.name} name={name} likely onChoose={(sheet) => correct({ chosen: { [name.name]: sheet } })} onNote={(maker, model) => note(name.name, maker, model)} />)}
          </ul>
        </div>
      )}
      {rows.data && rows.data.rows.length + (state ? 1 : 0) > 0 && !working && (
        <>
          <div className="flex items-center gap-4 mb-1" role="group" aria-label="Which rows">
            {STATES.map(([key, words]) => <button type="button" key={key} aria-pressed={state === key} className={state === key ? 'font-bold underline underline-offset-4' : 'quiet hover:underline'} onClick={() => { setState(key); setOffset(0) }}>{words}</button>)}
            <span className="grow" />
            {rows.data.total > PAGE && (
              <span className="text-sm whitespace-nowrap">
                rows {offset + 1} to {Math.min(offset + PAGE, rows.data.total)} of {figure(rows.data.total)}
                <button type="button" className="btn btn-ghost btn-sm" disabled={offset === 0} onClick={() => setOffset(offset - PAGE)}>before</button>
                <button type="button" className="btn btn-ghost btn-sm" disabled={offset + PAGE >= rows.data.total} onClick={() => setOffset(offset + PAGE)}>after</button>
              </span>
            )}
          </div>
          <table className="w-full text-note">
            <thead><tr className="border-b border-base-content"><td className="w-6" /><th>line</th><th>tag</th><th>serial</th><th>model sheet</th><th>notes</th><th>verdict</th></tr></thead>
            <tbody>
              {rows.data.rows.map((row) => (
                <tr key={row.line} className={`rule-b align-top ${row.state === RowState.FAULT ? 'fitink' : ''}`}>
                  <td aria-label={labelOf('RowState', row.state)}>{MARKS[row.state]}</td>
                  <td className="figures pr-3">{row.line}</td><td className="tag pr-3">{row.tag || 'next'}</td><td className={`font-mono pr-3 ${row.serial.length > NOWRAP ? 'break-all' : 'whitespace-nowrap'}`}>{row.serial}</td>
                  <td className="pr-3">{row.model || <span className="quiet">{row.name}</span>}</td><td className="pr-3">{[row.notes, row.comes_with].filter(Boolean).join(' · ')}</td>
                  <td className={row.state === RowState.OK ? 'quiet' : 'font-semibold'}>
                    {row.sentence || 'understood'}
                    {(row.state !== RowState.OK || row.mended) && mending !== row.line && <button type="button" className="underline ml-2 font-normal" onClick={() => setMending(row.line)}>mend line {row.line}</button>}
                    {mending === row.line && <MendRow row={row} onMend={(given) => { setMending(null); mend(row.line, given) }} onLeave={() => setMending(null)} />}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </>
      )}
    </section>
  )
}

/** One name of the list that somebody should look at: what it may mean, any other sheet, a new one. */
function ModelName({ name, likely, onChoose, onNote }: { name: Schemas['UnclearName']; likely?: boolean; onChoose: (sheet: string) => void; onNote: (maker: string, model: string) => void }) {
  const sheets = useQuery({ queryKey: ['sheets'], queryFn: () => ask(api.GET('/api/sheets')) })
  const [making, setMaking] = useState(false)
  const first = name.alternatives[0]
  const [maker, ...model] = name.name.split(' ')
  return (
    <li className="rule-t py-2 flex flex-wrap items-center gap-3">
      <span className="min-w-64"><b>{name.name}</b> <span className="quiet">· {count(name.rows, 'row')}</span></span>
      {likely && first && <span>taken for <b>{first.name}</b></span>}
      {(likely ? name.alternatives.slice(1, 3) : name.alternatives).map((one) => (
        <button type="button" key={one.sheet} className="btn btn-outline btn-sm pointer-coarse:btn-bench" onClick={() => onChoose(one.sheet)}>{one.name} <span className="quiet font-normal">{one.score} % alike</span></button>
      ))}
      <select className="select select-sm bg-base-100" aria-label={`Sheet for ${name.name}`} value="" onChange={(event) => { if (event.target.value === '+') setMaking(true); else if (event.target.value) onChoose(event.target.value) }}>
        <option value="">another sheet …</option>
        {sheets.data?.map((use) => <option key={use.sheet.key} value={use.sheet.key}>{use.sheet.maker} {use.sheet.model}</option>)}
        <option value="+">begin a new sheet …</option>
      </select>
      {!likely && <button type="button" className="underline quiet" onClick={() => onNote(maker || 'Unknown', model.join(' ') || name.name)}>note it; its sheet is written later</button>}
      {making && <NewSheet name={name.name} near={first?.sheet ?? ''} onMade={(key) => { setMaking(false); onChoose(key) }} onLeave={() => setMaking(false)} />}
    </li>
  )
}
