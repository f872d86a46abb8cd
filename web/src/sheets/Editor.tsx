import { useEffect, useRef, useState } from 'react'
import { type Problem, type Schemas, api, ask, problemOf } from '../api/client'
import { RouteGraph } from '../drawings/RouteGraph'
import { Strip } from '../drawings/strip/Strip'
import { begunAt, isFields, keepBegun } from '../frame/begun'
import { count } from '../frame/words'
import { Guide } from './Guide'
import { at, BUILT, builtRows, builtWith, type Column, labelIn, NESTED, nestedRows, put, read, type Sheet, TABLES, withNested, written } from './document'
import { Depth, FactSource, type ListName, Tool } from '../api/vocabulary'
import { choicesOf } from '../frame/vocabulary'

interface Props {
  sheet: Sheet
  /** The version this began from; 0 for a sheet nobody saved yet. */
  startedFrom: number
  /** Opens with the questions that matter first. */
  guided?: boolean
  onSaved: (saved: Schemas['Saved']) => void
  onLeave: () => void
}

const DRAW_AFTER_MS = 120
const DRAFT = 'sheet-draft.'

/** A sheet while it is written: strip and route are drawn anew with every key. */
export function Editor({ sheet, startedFrom, guided = false, onSaved, onLeave }: Props) {
  const [asking, setAsking] = useState(guided)
  const [kept] = useState(() => begunAt(DRAFT + sheet.key, isFields))
  const [document, setDocument] = useState<unknown>(kept ?? sheet)
  const [drawing, setDrawing] = useState<Schemas['Drawing'] | null>(null)
  const [trim, setTrim] = useState('')
  const [words, setWords] = useState('')
  const [moving, setMoving] = useState(true)
  const [problem, setProblem] = useState<Problem | null>(null)
  const [version, setVersion] = useState(startedFrom)
  const turn = useRef(0)
  useEffect(() => {
    if (document !== sheet) keepBegun(DRAFT + sheet.key, document)
  }, [document, sheet])
  // biome-ignore lint/correctness/useExhaustiveDependencies: it runs when what it names changes, not at every drawing
  useEffect(() => {
    const now = ++turn.current
    const timer = setTimeout(async () => {
      try {
        const drawn = await ask(api.POST('/api/sheets/draw', { body: { document: document as Record<string, unknown>, trim } }))
        if (now === turn.current) setDrawing(drawn)
      } catch (error) {
        setProblem(problemOf(error))
      }
    }, DRAW_AFTER_MS)
    return () => clearTimeout(timer)
  }, [document, trim, sheet, version])
  const change = (path: string[], value: unknown): void => setDocument((now: unknown) => put(now, path, value))
  const leave = (): void => {
    keepBegun(DRAFT + sheet.key, null)
    onLeave()
  }
  const save = async (): Promise<void> => {
    setProblem(null)
    try {
      const saved = await ask(api.POST('/api/sheets', { body: { document: document as Record<string, unknown>, started_from: version, words, move_waiting: moving } }))
      keepBegun(DRAFT + sheet.key, null)
      onSaved(saved)
    } catch (error) {
      setProblem(problemOf(error))
    }
  }
  const draft = document as Sheet
  const sound = drawing !== null && drawing.faults.length === 0
  const field = (label: string, path: string[], width: string, kind: Column['kind'] = 'text', words?: ListName) => (
    <Field label={label} width={width} column={{ field: '', heading: label, kind, width: 0, optional: true, ...(words ? { words } : {}) }} value={at(document, path)} onChange={(value) => change(path, value)} />
  )
  const rows = (table: (typeof TABLES)[number]) => (
    <Rows key={table.heading} {...table} rows={(at(document, table.path) ?? []) as Record<string, unknown>[]} onChange={(changed) => change(table.path, changed)} />
  )
  return (
    <div className="page">
      <div className="sticky top-0 z-10 bg-base-200 pb-3 border-b border-base-content">
        <div className="flex items-center gap-4 mb-2">
          <h1 className="grow">{draft.maker} {draft.model} <span className="quiet font-normal text-base">{version ? `after version ${version}` : 'a new sheet'}{kept ? ' · your unsaved draft' : ''}</span></h1>
          <input className="input input-bordered h-11 w-64 bg-base-100" placeholder="Why it is changed" aria-label="Why it is changed" maxLength={200} value={words} onChange={(event) => setWords(event.target.value)} />
          <label className="flex items-center gap-2 text-sm"><input type="checkbox" className="checkbox checkbox-sm" checked={moving} onChange={(event) => setMoving(event.target.checked)} /> waiting units follow</label>
          <button type="button" className="btn btn-ghost btn-bench" onClick={leave}>Leave it</button>
          <button type="button" className="btn btn-primary btn-bench" disabled={!sound} onClick={() => void save()}>Save as version {version + 1}</button>
        </div>
        <div className="flex items-center gap-6 min-h-14">
          {drawing?.strip ? <Strip strip={drawing.strip} size="card" /> : <span className="quiet">drawn once it is a sheet</span>}
          {draft.trims?.length > 1 && (
            <select className="select select-sm bg-base-100" aria-label="Trim that is drawn" value={trim} onChange={(event) => setTrim(event.target.value)}>
              {draft.trims.map((one) => <option key={one.key} value={one.key}>{one.label}</option>)}
            </select>
          )}
          <p className="text-note" aria-live="polite">{drawing && (drawing.faults.length ? <b className="fitink">{count(drawing.faults.length, 'fault')}</b> : `${count(drawing.changes.length, 'change')} against version ${version || 'none'}`)}</p>
        </div>
        {drawing?.gaps.map((gap) => <p key={gap.where + gap.sentence} className="quiet"><b>{gap.where}</b>: {gap.sentence}</p>)}
        {drawing?.faults.map((fault) => <p key={fault.where + fault.sentence} role="alert" className="fitink"><b>{fault.where}</b>: {fault.sentence}</p>)}
        {problem && (
          <div role="alert" className="border-l-4 border-accent bg-base-100 px-4 py-2">
            <b>{problem.title}.</b> {problem.detail}
            {problem.status === 409 && <button type="button" className="underline ml-3" onClick={() => { setVersion(problem.facts.version as number); setProblem(null) }}>Compare with version {String(problem.facts.version)} and go on from it</button>}
          </div>
        )}
      </div>
      <nav className="flex gap-5 border-b border-base-300 mt-2" aria-label="Ways to write the sheet">
        {([[true, 'What matters first'], [false, 'Everything on it']] as const).map(([first, words]) => (
          <button type="button" key={words} aria-current={asking === first ? 'page' : undefined} disabled={first && !sound} className={`pt-2 pb-1.5 -mb-px disabled:opacity-50 ${asking === first ? 'font-semibold border-b-[3px] border-base-content' : 'quiet'}`} onClick={() => setAsking(first)}>{words}</button>
        ))}
      </nav>
      {asking && <Guide document={document} onChange={setDocument} />}
      {drawing && drawing.changes.length > 0 && (
        <details className="my-2">
          <summary className="quiet cursor-pointer">what changed</summary>
          <ul className="text-note">{drawing.changes.map((one) => <li key={one.where}><span className="quiet">{one.where}:</span> {one.was || 'nothing'} → <b>{one.now || 'nothing'}</b></li>)}</ul>
        </details>
      )}
      {!asking && everything()}
    </div>
  )

  function everything() {
    return (
      <>
      <h2 className="mt-4 mb-1">The model</h2>
      <div className="flex flex-wrap gap-3 items-end">
        {startedFrom === 0 && field('Key', ['key'], 'w-52')}
        {field('Maker', ['maker'], 'w-36')}{field('Model', ['model'], 'w-44')}
        {field('Form', ['form'], 'w-32', 'choice', 'MachineForm')}{field('Year', ['year'], 'w-20', 'number')}
        {field('Adapter', ['adapter'], 'w-60')}{field('Own hardware test', ['built_in_test'], 'w-80')}
        {field('In a sentence', ['summary'], 'w-[40rem] max-w-full')}{field('Seals', ['seals'], 'w-80', 'list')}
        {field('Firmware switches the pack off', ['firmware_switches_pack_off'], '', 'flag')}
      </div>
      <h2 className="mt-4 mb-1">Memory</h2>
      <div className="flex flex-wrap gap-3 items-end">
        {field('Generation', ['memory', 'generation'], 'w-28', 'choice', 'Generation')}
        {field('Board, MT/s', ['memory', 'mts'], 'w-24', 'number')}{field('Processor, MT/s', ['memory', 'cpu_mts'], 'w-24', 'number')}
        {field('Stated, GB', ['memory', 'stated', 'gb'], 'w-20', 'number')}
        {field('Source', ['memory', 'stated', 'source'], 'w-40', 'choice', 'FactSource')}
        {field('Processor, GB', ['memory', 'cpu_gb'], 'w-24', 'number')}
        {field('Module size', ['memory', 'form'], 'w-28', 'choice', 'ModuleForm')}
        {field('Low voltage only', ['memory', 'low_voltage_only'], '', 'flag')}
        <Field label="Seen running, GB" width="w-28" column={{ field: '', heading: '', kind: 'number', width: 0, optional: true }} value={draft.memory?.proven?.gb ?? null} onChange={(value) => change(['memory', 'proven'], value === null ? null : { gb: value, source: FactSource.BENCH, units_on_record: draft.memory.proven?.units_on_record ?? 1 })} />
        {draft.memory?.proven && field('on units', ['memory', 'proven', 'units_on_record'], 'w-20', 'number')}
        <Field label="Soldered, GB" width="w-28" column={{ field: '', heading: '', kind: 'list', width: 0, figures: true }} value={draft.memory?.soldered?.amounts_gb ?? []} onChange={(value) => change(['memory', 'soldered'], (value as number[]).length ? { key: draft.memory.soldered?.key ?? 'm0', label: 'soldered', amounts_gb: value } : null)} />
      </div>
      {TABLES.filter((table) => table.path[0] !== 'route').map((table) => rows(table))}
      <Rows {...BUILT} rows={builtRows(draft.built_with)} onChange={(changed) => change(['built_with'], builtWith(changed))} />
      <Packs packs={draft.packs ?? []} onChange={(packs) => change(['packs'], packs)} />
      <h2 className="mt-5 mb-1">The route</h2>
      {draft.route?.steps && <RouteGraph route={safeRoute(draft.route)} labelOf={(place) => labelIn(draft, place)} ways={drawing?.ways ?? []} />}
      {TABLES.filter((table) => table.path[0] === 'route').map((table) => rows(table))}
      {draft.route?.steps && NESTED.map(({ field: nested, blank, ...table }) => (
        <Rows key={nested} {...table} blank={{ at: (nested === 'hands_over' ? draft.route.reaches?.[0]?.place : draft.route.steps[0]?.key) ?? '', ...blank }} rows={nestedRows(draft.route, nested)} onChange={(changed) => change(['route'], withNested(draft.route as unknown as Record<string, unknown>, nested, changed))} />
      ))}
      <div className="flex flex-wrap gap-3 items-end mt-4">
        {field('Reached from outside', ['route', 'outside'], 'w-80', 'list')}
        {field('Set-up, minutes', ['route', 'setup_minutes'], 'w-24', 'number')}{field('Check, minutes', ['route', 'check_minutes'], 'w-24', 'number')}
      </div>
      </>
    )
  }
}

const NOTHING = { after: [], either: [], screws: [], cautions: [], breaks: [], tool: Tool.HAND }
const STEP = { ...NOTHING, minutes_out: 0 }
const REACH = { ...NOTHING, carried_by: '', minutes_out: 0, minutes_in: 0 }
/** A route that can be drawn while its rows are half written. */
const safeRoute = (route: Schemas['Route']): Schemas['Route'] => ({
  ...route,
  steps: route.steps.filter((step) => step.key).map((step) => ({ ...STEP, ...step, depth: step.depth ?? Depth.COVER })),
  reaches: (route.reaches ?? []).map((reach) => ({ ...REACH, ...reach })),
})

/** Words to choose from: those of the list, an empty one where none may be chosen, and what stands there now. */
const options = (column: Column, shown: string): [string, string][] => {
  const listed = column.words ? choicesOf(column.words) : []
  const open: [string, string][] = column.optional ? [['', '']] : []
  const own: [string, string][] = shown && !listed.some(([code]) => code === shown) ? [[shown, shown]] : []
  return [...open, ...listed, ...own]
}

/** One value with its label; figures and lists are read as they are typed. */
function Field({ label, width, column, value, onChange, bare }: { label: string; width: string; column: Column; value: unknown; onChange: (value: unknown) => void; bare?: boolean }) {
  const shown = Array.isArray(value) ? value.join(', ') : value === null || value === undefined ? '' : String(value)
  const [typed, setTyped] = useState(shown)
  const own = useRef(shown)
  useEffect(() => {
    // What stands in the document wins, unless it is what was just typed here.
    if (own.current !== shown) {
      own.current = shown
      setTyped(shown)
    }
  }, [shown])
  const input =
    column.kind === 'flag' ? (
      <input type="checkbox" className="checkbox checkbox-sm" aria-label={label} checked={Boolean(value)} onChange={(event) => onChange(event.target.checked)} />
    ) : column.kind === 'choice' ? (
      <select className={`select select-sm bg-base-100 ${width}`} aria-label={label} value={shown} onChange={(event) => onChange(read(column, event.target.value))}>
        {options(column, shown).map(([code, label]) => <option key={code} value={code}>{label}</option>)}
      </select>
    ) : (
      <input
        className={`input input-sm bg-base-100 ${width}`}
        size={1}
        aria-label={label}
        value={typed}
        onChange={(event) => {
          setTyped(event.target.value)
          const next = read(column, event.target.value)
          own.current = Array.isArray(next) ? next.join(', ') : next === null ? '' : String(next)
          onChange(next)
        }}
      />
    )
  // biome-ignore lint/a11y/noLabelWithoutControl: its field stands inside it
  return bare ? input : <label className="text-sm">{label}<span className="block">{input}</span></label>
}

/** A table of the document: a row a thing, added, moved and taken out with a button each. */
function Rows({ heading, blank, columns, rows, onChange }: { heading: string; blank: Record<string, unknown>; columns: Column[]; rows: Record<string, unknown>[]; onChange: (rows: Record<string, unknown>[]) => void }) {
  const put_ = (index: number, column: Column, value: unknown): void => {
    const path = column.field.split('.')
    // A repair without a part is no repair.
    const cleared = path.length > 1 && value === ''
    onChange(rows.map((row, at_) => (at_ === index ? ((cleared ? put(row, path.slice(0, 1), null) : put(row, path, value)) as Record<string, unknown>) : row)))
  }
  const move = (index: number, by: number): void => {
    const moved = [...rows]
    const [row] = moved.splice(index, 1)
    if (row) moved.splice(index + by, 0, row)
    onChange(moved)
  }
  return (
    <section aria-label={heading} className="mt-5">
      <h2 className="mb-1">{heading} <button type="button" className="btn btn-ghost btn-sm font-normal underline" onClick={() => onChange([...rows, blank])}>add one</button></h2>
      {rows.length > 0 && (
        <div className="overflow-x-auto">
          <table className="text-sm">
            <thead><tr>{columns.map((column) => <th key={column.field} className="pr-1 font-normal whitespace-nowrap">{column.heading}</th>)}<td /></tr></thead>
            <tbody>
              {rows.map((row, index) => (
                <tr key={index} className="align-top">
                  {columns.map((column) => (
                    <td key={column.field} className="pr-1 pb-1" style={{ width: `${column.width}rem`, minWidth: `${column.width}rem` }}>
                      <Field bare label={`${column.heading}, ${String(row.label || row.title || row.place || index + 1)}`} width="w-full" column={column} value={column.kind === 'flag' ? row[column.field] : written(column, row)} onChange={(value) => put_(index, column, value)} />
                    </td>
                  ))}
                  <td className="whitespace-nowrap">
                    <button type="button" className="btn btn-ghost btn-xs" disabled={index === 0} aria-label={`up: row ${index + 1}`} onClick={() => move(index, -1)}>↑</button>
                    <button type="button" className="btn btn-ghost btn-xs" disabled={index === rows.length - 1} aria-label={`down: row ${index + 1}`} onClick={() => move(index, 1)}>↓</button>
                    <button type="button" className="btn btn-ghost btn-xs" aria-label={`take out: row ${index + 1}`} onClick={() => onChange(rows.filter((_, at_) => at_ !== index))}>×</button>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
    </section>
  )
}

const VARIANT: Column[] = [
  { field: 'family', heading: 'family', kind: 'text', width: 7 },
  { field: 'design_wh', heading: 'design Wh', kind: 'number', width: 5 },
  { field: 'volts', heading: 'volts', kind: 'number', width: 4 },
  { field: 'cells', heading: 'cells', kind: 'number', width: 3 },
  { field: 'screws_included', heading: 'with screws', kind: 'flag', width: 3 },
  { field: 'needs', heading: 'needs', kind: 'list', width: 10 },
]

/** Packs, each with the variants that fit. */
function Packs({ packs, onChange }: { packs: Schemas['PackPlace'][]; onChange: (packs: Schemas['PackPlace'][]) => void }) {
  const set = (index: number, change: Partial<Schemas['PackPlace']>): void => onChange(packs.map((pack, at_) => (at_ === index ? { ...pack, ...change } : pack)))
  const variant = { family: '', design_wh: 50, volts: 11.4, cells: 3 } as Schemas['PackVariant']
  return (
    <section aria-label="Packs" className="mt-5">
      <h2 className="mb-1">Packs <button type="button" className="btn btn-ghost btn-sm font-normal underline" onClick={() => onChange([...packs, { key: `p${packs.length + 1}`, label: 'Pack', external: false, variants: [variant], trims: [] }])}>add one</button></h2>
      {packs.map((pack, index) => (
        <div key={index} className="rule-t pt-2 mt-1">
          <div className="flex flex-wrap gap-3 items-end">
            <Field label="Key" width="w-16" column={{ field: 'key', heading: '', kind: 'text', width: 0 }} value={pack.key} onChange={(value) => set(index, { key: value as string })} />
            <Field label="Label" width="w-44" column={{ field: 'label', heading: '', kind: 'text', width: 0 }} value={pack.label} onChange={(value) => set(index, { label: value as string })} />
            <label className="flex items-center gap-2 text-sm pb-1"><input type="checkbox" className="checkbox checkbox-sm" checked={pack.external} onChange={(event) => set(index, { external: event.target.checked })} /> external</label>
            <button type="button" className="btn btn-ghost btn-sm" onClick={() => onChange(packs.filter((_, at_) => at_ !== index))}>take it out</button>
          </div>
          <Rows heading={`Variants of ${pack.label}`} blank={variant as unknown as Record<string, unknown>} columns={VARIANT} rows={pack.variants as unknown as Record<string, unknown>[]} onChange={(rows) => set(index, { variants: rows as unknown as Schemas['PackVariant'][] })} />
        </div>
      ))}
    </section>
  )
}
