import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useVirtualizer } from '@tanstack/react-virtual'
import { Printer } from 'lucide-react'
import { useRef, useState } from 'react'
import { useNavigate } from 'react-router'
import { type Schemas, api, ask, problemOf } from '../api/client'
import { useScan } from '../frame/ScanListener'
import { didAtOnce } from '../frame/Undo'
import { useKeys } from '../frame/keys'
import { rowHeight } from '../frame/touch'
import { clock, count, figure } from '../frame/words'
import { type ComesAlong, CountVerdict, Settling } from '../api/vocabulary'
import { headingOf, labelOf } from '../frame/vocabulary'
import { shows } from '../frame/shows'

interface Props {
  batch: string
  waiting: Schemas['UnitLine'][]
  ready: boolean
}

const ROW = rowHeight(34)
const GOOD = new Set<string>([CountVerdict.SEEN, CountVerdict.CONFIRMED, CountVerdict.AGAIN])

/** The count at the door: expected against seen by scanning; what does not match; labels. */
export function Count({ batch, waiting, ready }: Props) {
  const queries = useQueryClient()
  const navigate = useNavigate()
  const path = { params: { path: { slug: batch } } }
  const counted = useQuery({ queryKey: ['count', batch], queryFn: () => ask(api.GET('/api/batches/{slug}/count', path)) })
  const [code, setCode] = useState('')
  const [last, setLast] = useState<Schemas['ScanVerdict'] | null>(null)
  const [said, setSaid] = useState('')
  const before = useRef('')
  const refresh = (): void => {
    void queries.invalidateQueries({ queryKey: ['count', batch] })
    void queries.invalidateQueries({ queryKey: ['units', batch] })
    void queries.invalidateQueries({ queryKey: ['batch', batch] })
  }
  const attempt = async (call: () => Promise<string>): Promise<void> => {
    try {
      setSaid(await call())
      refresh()
    } catch (refusal) {
      setSaid(problemOf(refusal).detail)
    }
  }
  const scan = (typed: string): void =>
    void attempt(async () => {
      const verdict = await ask(api.POST('/api/batches/{slug}/scan', { ...path, body: { code: typed, before: before.current } }))
      // A serial number right after a tag must be that unit's; after any serial number nothing is remembered.
      before.current = verdict.code.toUpperCase() === verdict.tag ? verdict.tag : ''
      setLast(verdict)
      return ''
    })
  const all = (): void =>
    void attempt(async () => {
      const done = await ask(api.POST('/api/batches/{slug}/count-in', { ...path, body: { tags: null } }))
      didAtOnce(`${count(done.count, 'unit')} counted in; ${done.count === 1 ? 'it waits' : 'they wait'} to be inspected.`, async () => {
        const back = await ask(api.POST('/api/batches/{slug}/count-back', { ...path, body: { tags: done.tags } }))
        refresh()
        const stay = done.count - back.count
        return `Taken back: ${count(back.count, 'unit')} announced, not counted in.${stay ? ` ${count(stay, 'unit')} stay, somebody looked at them meanwhile.` : ''}`
      })
      return ''
    })
  const settle = (number: number, how: Settling, sheet = ''): void =>
    void attempt(async () => {
      await ask(api.POST('/api/batches/{slug}/notes/{number}', { params: { path: { slug: batch, number } }, body: { how, sheet } }))
      setLast(null)
      return ''
    })
  const extra = (kind: ComesAlong, seen: number): void =>
    void attempt(async () => {
      shows(queries, ['count', batch], await ask(api.POST('/api/batches/{slug}/extras', { ...path, body: { kind, seen: Math.max(0, seen) } })))
      return ''
    })
  const field = useRef<HTMLInputElement>(null)
  useScan((codes) => {
    scan(codes.find((one) => /\d/.test(one)) ?? codes[0] ?? '')
    return true
  })
  useKeys('Count', [
    { key: 'c', does: 'count all announced units in', act: all, off: waiting.length ? '' : 'every announced unit is counted in' },
    { key: 's', does: 'type a tag or serial number', act: () => field.current?.focus() },
  ])
  const view = counted.data
  const open = view?.notes.filter((note) => !note.settled) ?? []
  const settled = view?.notes.filter((note) => note.settled) ?? []
  return (
    <section aria-label="Count">
      <div className="flex items-baseline gap-4">
        <h1 className="grow">Count them in</h1>
        {view && view.expected > 0 && <p><b className="text-2xl">{figure(view.seen)}</b> of {figure(view.expected)} seen{open.length > 0 && <b className="fitink"> · {open.length} {open.length === 1 ? 'does' : 'do'} not match</b>}</p>}
      </div>
      {view && view.expected > 0 && <progress className="progress w-full h-2 mb-2" value={view.seen} max={view.expected} aria-label="Units seen of those expected" />}
      {ready && view?.expected === 0 && <p className="my-2">Nothing is announced yet. What is scanned is noted as surplus, and can be taken in by its model.</p>}
      {ready && waiting.length === 0 && view && view.expected > 0 && <p className="my-2">Every announced unit is counted in. <button type="button" className="underline" onClick={() => navigate(`/${batch}/inspect`)}>Go on to Inspect</button> <kbd>I</kbd></p>}
      <form className="flex gap-3 my-2" onSubmit={(event) => { event.preventDefault(); if (code.trim()) scan(code.trim()); setCode('') }}>
        <label className="input input-bordered h-11 grow bg-base-100 flex items-center">
          <input ref={field} className="grow font-mono text-lg" data-codes="" placeholder="Scan a label or a serial number" aria-label="Scan a label or a serial number" value={code} onChange={(event) => setCode(event.target.value)} onKeyDown={(event) => { if (event.key === 'Escape') event.currentTarget.blur() }} />
          <kbd>S</kbd>
        </label>
        {waiting.length > 0 && <button type="button" className="btn btn-outline btn-bench" onClick={all}>{waiting.length === 1 ? 'Count the last one in' : `Count all ${figure(waiting.length)} in`} <kbd>C</kbd></button>}
      </form>
      <div aria-live="polite">
        {said && <p className="mb-2">{said}</p>}
        {last && !open.some((note) => note.code === last.code) && <p className={`text-lg px-4 py-2 mb-2 bg-base-100 border-l-4 ${GOOD.has(last.verdict) ? 'border-success' : 'border-accent fitink font-semibold'}`}>{last.sentence}</p>}
      </div>
      {open.length > 0 && <ul className="mb-3" aria-live="polite">{open.map((note) => <Note key={note.number} note={note} fresh={note.code === last?.code} onSettle={(how, sheet) => settle(note.number, how, sheet)} />)}</ul>}
      <div className="flex flex-wrap gap-x-8 gap-y-2 my-3">
        {view?.extras.map((one) => (
          <div key={one.kind} className="flex items-center gap-2" role="group" aria-label={labelOf('ComesAlong', one.kind)}>
            <span className="inline-block first-letter:uppercase">{labelOf('ComesAlong', one.kind)}s</span>
            <button type="button" className="btn btn-outline btn-sm pointer-coarse:btn-bench" aria-label={`one ${labelOf('ComesAlong', one.kind)} less`} onClick={() => extra(one.kind, one.seen - 1)}>−</button>
            <b className={`figures min-w-8 text-center ${one.expected > one.seen ? 'fitink' : ''}`}>{one.seen}</b>
            <button type="button" className="btn btn-outline btn-sm pointer-coarse:btn-bench" aria-label={`one ${labelOf('ComesAlong', one.kind)} more`} onClick={() => extra(one.kind, one.seen + 1)}>+</button>
            <span className="quiet">of {one.expected} announced</span>
          </div>
        ))}
      </div>
      <Labels batch={batch} waiting={waiting} expected={view?.expected ?? 0} onSaid={setSaid} />
      {waiting.length > 0 && <Announced waiting={waiting} />}
      {settled.length > 0 && (
        <details className="mt-3">
          <summary className="quiet cursor-pointer">{settled.length} settled</summary>
          <ul className="text-note quiet">{settled.map((note) => <li key={note.number}>{note.code}: {note.settled}. {note.by}, {clock(note.at)}</li>)}</ul>
        </details>
      )}
    </section>
  )
}

/** Something that did not match, and what can be done about it. */
function Note({ note, fresh, onSettle }: { note: Schemas['NoteView']; fresh: boolean; onSettle: (how: Settling, sheet?: string) => void }) {
  const sheets = useQuery({ queryKey: ['sheets'], queryFn: () => ask(api.GET('/api/sheets')), enabled: note.verdict === CountVerdict.SURPLUS })
  return (
    <li className={`py-2 flex flex-wrap items-center gap-3 ${fresh ? 'border-l-4 border-accent bg-base-100 px-4 text-lg fitink font-semibold' : 'rule-t'}`}>
      <span className="grow min-w-72"><b>{headingOf('CountVerdict', note.verdict)}</b> · {note.sentence}</span>
      {note.verdict === CountVerdict.SWAPPED && (
        <>
          <button type="button" className="btn btn-outline btn-sm pointer-coarse:btn-bench" onClick={() => onSettle(Settling.SWAP)}>The labels are swapped: mend the record</button>
          <button type="button" className="btn btn-outline btn-sm pointer-coarse:btn-bench" onClick={() => onSettle(Settling.NEXT)}>No, it is the next unit</button>
        </>
      )}
      {note.verdict === CountVerdict.SURPLUS && (
        <select className="select select-sm bg-base-100" aria-label={`Model of ${note.code}`} value="" onChange={(event) => event.target.value && onSettle(Settling.TAKE, event.target.value)}>
          <option value="">take it in as …</option>
          {sheets.data?.map((use) => <option key={use.sheet.key} value={use.sheet.key}>{use.sheet.maker} {use.sheet.model}</option>)}
        </select>
      )}
      <button type="button" className="btn btn-ghost btn-sm pointer-coarse:btn-bench" onClick={() => onSettle(Settling.ASIDE)}>Set aside</button>
    </li>
  )
}

/** Labels of the announced units, or of all: on the printer or as PDF, in several sizes. */
function Labels({ batch, waiting, expected, onSaid }: { batch: string; waiting: Schemas['UnitLine'][]; expected: number; onSaid: (words: string) => void }) {
  const choices = useQuery({ queryKey: ['labels'], queryFn: () => ask(api.GET('/api/labels')), staleTime: Infinity })
  const [chosen, setSize] = useState('')
  const size = chosen || choices.data?.usual || ''
  if (!expected) return null
  const which = waiting.length ? `${figure(waiting.length)} not counted yet` : `all ${figure(expected)}`
  const tags = waiting.map((unit) => unit.tag)
  const print = async (): Promise<void> => {
    try {
      const done = await ask(api.POST('/api/batches/{slug}/labels/print', { params: { path: { slug: batch } }, body: { size, tags: tags.slice(0, 2000) } }))
      onSaid(`${count(done.count, 'label')} went to the printer.`)
    } catch (refusal) {
      onSaid(problemOf(refusal).detail)
    }
  }
  return (
    <div className="flex flex-wrap items-center gap-3 rule-t rule-b py-2">
      <span>Labels of {which}</span>
      <select className="select select-sm bg-base-100 w-52" aria-label="Size of labels" value={size} onChange={(event) => setSize(event.target.value)}>
        {choices.data?.sizes.map((one) => <option key={one.key} value={one.key}>{one.name}</option>)}
      </select>
      <a className="btn btn-outline btn-sm pointer-coarse:btn-bench font-normal" target="_blank" rel="noreferrer" href={`/api/batches/${batch}/labels.pdf?size=${size}${tags.length && tags.length <= 400 ? `&tags=${tags.join(',')}` : ''}`}>as PDF</a>
      <button type="button" className="btn btn-outline btn-sm pointer-coarse:btn-bench font-normal" onClick={() => void print()}><Printer size={16} aria-hidden="true" /> print</button>
      {choices.data?.printer && <a className="quiet underline text-sm" href={choices.data.printer} target="_blank" rel="noreferrer">what the printer printed</a>}
    </div>
  )
}

/** Units that were announced and not seen yet; thousands of them cost no more than a screenful. */
function Announced({ waiting }: { waiting: Schemas['UnitLine'][] }) {
  const box = useRef<HTMLDivElement>(null)
  const rows = useVirtualizer({ count: waiting.length, getScrollElement: () => box.current, estimateSize: () => ROW, overscan: 8 })
  return (
    <>
      <h2 className="mt-3 mb-1">Announced, not seen yet</h2>
      <div ref={box} className="max-h-[42dvh] overflow-auto">
        <ul className="relative" style={{ height: rows.getTotalSize() }}>
          {rows.getVirtualItems().map((row) => {
            const unit = waiting[row.index]
            return unit && (
              <li key={unit.tag} className="absolute inset-x-0 rule-t flex gap-4 items-center" style={{ transform: `translateY(${row.start}px)`, height: ROW }}>
                <span className="tag">{unit.tag}</span><span className="grow min-w-0 leading-tight">{unit.model}{unit.notes && <span className="quiet"> · {unit.notes}</span>}</span><span className="font-mono text-sm quiet">{unit.serial}</span>
                <a className="underline text-sm" href={`/api/units/${unit.tag}/label.pdf`} target="_blank" rel="noreferrer">label</a>
              </li>
            )
          })}
        </ul>
      </div>
    </>
  )
}
