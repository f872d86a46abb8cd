import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useVirtualizer } from '@tanstack/react-virtual'
import { flushSync } from 'react-dom'
import { memo, useCallback, useMemo, useRef, useState } from 'react'
import { type Schemas, api, ask, lostOf } from '../api/client'
import { Grade, Money } from '../api/vocabulary'
import { isFields, useBegun } from '../frame/begun'
import { ProblemNote } from '../frame/Problem'
import { didAtOnce } from '../frame/Undo'
import { useFilter } from '../frame/filter'
import { useKeys } from '../frame/keys'
import { count, currencySign, roundMoney, sees } from '../frame/words'
import { NotSeen } from '../frame/NotSeen'
import { Effect, ofStandards } from './Effect'
import { PriceHistory } from './PriceHistory'
import { standardsQuery } from './standards'

/** From the least to the best, as the figures of a row rise. */
const GRADES = [Grade.C, Grade.B, Grade.A]
const LARGEST_TURN = 15
const ROW = 51
type Changes = ReadonlyMap<string, number | null>
type Cell = { standard: string; sheet: string; grade: Schemas['Grade'] }

const keyOf = (cell: Cell): string => `${cell.standard} ${cell.sheet} ${cell.grade}`
const cellOf = (key: string): Cell => {
  const [standard = '', sheet = '', grade = ''] = key.split(' ')
  return { standard, sheet, grade: grade as Schemas['Grade'] }
}

const isPrices = (kept: unknown): kept is Record<string, number | null> => isFields(kept) && Object.values(kept).every((one) => one === null || (typeof one === 'number' && Number.isFinite(one) && one >= 0))

/** Cents of what was typed; undefined where it is no amount. */
const centsOf = (text: string): number | null | undefined => {
  const plain = text.trim().replace(',', '.')
  if (plain === '' || plain === '-') return null
  const amount = Number(plain)
  return Number.isFinite(amount) && amount >= 0 ? Math.round(amount * 100) : undefined
}

/** What models sell for, by standard and grade: figures over a rail, changed by hand, by per cent, by pasting. */
export function Prices() {
  const query = useQuery(standardsQuery)
  if (lostOf(query)) return <ProblemNote error={query.error} />
  if (!sees(Money.PRICES)) return <NotSeen money={Money.PRICES} />
  if (!query.data) return null
  if (query.data.standards.length === 0) return <p className="text-lg">There is no standard yet, so there is nothing to price. Add one under Standards, then come back.</p>
  if (query.data.models.length === 0) return <p className="text-lg">There is no model sheet yet. Begin one under Sheets, or take a manifest in; then say here what the model sells for.</p>
  return <Grid view={query.data} />
}

function Grid({ view }: { view: Schemas['StandardsView'] }) {
  const queries = useQueryClient()
  const [filter, setFilter] = useFilter()
  // What was typed and not kept lives on this device, as every draft.
  const [begun, setBegun] = useBegun<Record<string, number | null> | null>('prices', null, isPrices)
  const changes: Changes = useMemo(() => new Map(Object.entries(begun ?? {})), [begun])
  const setChanges = useCallback((next: (old: Changes) => Changes): void => setBegun((old) => {
    const cells = next(new Map(Object.entries(old ?? {})))
    return cells.size ? Object.fromEntries(cells) : null
  }), [setBegun])
  const [hand, setHand] = useState<ReadonlySet<string>>(new Set())
  const [percent, setPercent] = useState(0)
  const [pasted, setPasted] = useState('')
  const [error, setError] = useState<unknown>(null)
  const from = useRef<string>('')
  const prices = useMemo(() => new Map(view.standards.flatMap(({ standard }) => (standard.prices ?? []).map((one) => [keyOf({ standard: standard.key, sheet: one.sheet, grade: one.grade }), one.price_cents] as const))), [view])
  const top = useMemo(() => Math.max(1, ...prices.values(), ...[...changes.values()].map((cents) => cents ?? 0)), [prices, changes])
  const low = filter.toLowerCase()
  const models = view.models.filter(([, name]) => name?.toLowerCase().includes(low))
  const box = useRef<HTMLDivElement>(null)
  // Of two hundred models only those in sight are drawn, so that a typed figure stands there at once.
  const rows = useVirtualizer({ count: models.length, getScrollElement: () => box.current, estimateSize: () => ROW, overscan: 8, getItemKey: (index) => models[index]?.[0] ?? index })
  const inSight = rows.getVirtualItems()
  const above = inSight[0]?.start ?? 0
  const below = rows.getTotalSize() - (inSight.at(-1)?.end ?? 0)
  const order = useMemo(() => models.flatMap(([sheet = '']) => view.standards.flatMap(({ standard }) => GRADES.map((grade) => keyOf({ standard: standard.key, sheet, grade })))), [models, view])
  const now = (key: string): number | null => (changes.has(key) ? (changes.get(key) ?? null) : (prices.get(key) ?? null))

  const put = useCallback((cells: [string, number | null][]): void => {
    setChanges((old) => {
      const next = new Map(old)
      for (const [key, cents] of cells) {
        if ((prices.get(key) ?? null) === cents) next.delete(key)
        else next.set(key, cents)
      }
      return next
    })
  }, [prices, setChanges])

  /** From the cell that was begun with to this one, a rectangle of the grid. */
  const take = useCallback((key: string, further: boolean): void => {
    setPercent(0)
    if (!further) {
      from.current = key
      setHand(new Set([key]))
      return
    }
    const width = view.standards.length * GRADES.length
    const [a, b] = [order.indexOf(from.current), order.indexOf(key)]
    if (a < 0 || b < 0) return
    const rows = [Math.floor(a / width), Math.floor(b / width)].sort((x, y) => x - y)
    const columns = [a % width, b % width].sort((x, y) => x - y)
    const found: string[] = []
    for (let row = rows[0] ?? 0; row <= (rows[1] ?? 0); row += 1) for (let column = columns[0] ?? 0; column <= (columns[1] ?? 0); column += 1) found.push(order[row * width + column] ?? '')
    setHand(new Set(found))
  }, [order, view.standards.length])

  const turn = async (by: number): Promise<void> => {
    setPercent(by)
    const cells = [...hand].map(cellOf).flatMap((cell) => {
      const cents = prices.get(keyOf(cell)) ?? null
      return cents === null ? [] : [{ ...cell, cents }]
    })
    try {
      const turned = await ask(api.POST('/api/furnish/prices/percent', { body: { cells: cells.map(({ sheet, grade, cents }) => ({ sheet, grade, price_cents: cents })), percent: by, whole_cents: 100 } }))
      put(cells.map((cell, n) => [keyOf(cell), turned[n]?.price_cents ?? null]))
    } catch (refusal) {
      setError(refusal)
    }
  }

  const fillDown = (): void => {
    const first = new Map<string, number | null>()
    const filled: [string, number | null][] = []
    for (const key of order.filter((one) => hand.has(one))) {
      const cell = cellOf(key)
      const column = `${cell.standard} ${cell.grade}`
      if (first.has(column)) filled.push([key, first.get(column) ?? null])
      else first.set(column, now(key))
    }
    put(filled)
  }

  const paste = async (text: string, standard: string): Promise<void> => {
    try {
      const rows = await ask(api.POST('/api/furnish/prices/paste', { body: { text } }))
      put(rows.flatMap((row) => row.cells.map((cell): [string, number | null] => [keyOf({ standard, sheet: cell.sheet, grade: cell.grade }), cell.price_cents ?? null])))
      const faults = rows.filter((row) => row.fault)
      const good = rows.length - faults.length
      setPasted(`${count(good, 'line')} taken over.${faults.length ? ` ${count(faults.length, 'line')} not: ${faults.slice(0, 3).map((row) => `line ${row.line}, ${row.fault}`).join('; ')}.` : ''}`)
      setError(null)
    } catch (refusal) {
      setError(refusal)
    }
  }

  const byStandard = (cells: Changes): Schemas['PricesOf'][] =>
    view.standards.flatMap(({ standard }) => {
      const mine = [...cells].filter(([key]) => cellOf(key).standard === standard.key)
      return mine.length ? [{ standard: standard.key, started_from: standard.version, cells: mine.map(([key, cents]) => ({ sheet: cellOf(key).sheet, grade: cellOf(key).grade, price_cents: cents })) }] : []
    })
  const save = async (): Promise<void> => {
    if (!changes.size) return
    try {
      const before: Changes = new Map([...changes.keys()].map((key) => [key, prices.get(key) ?? null]))
      const kept = await ask(api.PUT('/api/furnish/prices', { body: { changes: byStandard(changes), words: `${count(changes.size, 'price')} changed` } }))
      queries.setQueryData(standardsQuery.queryKey, kept)
      void queries.invalidateQueries({ queryKey: ['plan'] })
      setChanges(() => new Map())
      setError(null)
      didAtOnce(`${count(changes.size, 'price')} kept.`, async () => {
        const newest = new Map(kept.standards.map(({ standard }) => [standard.key, standard.version]))
        const back = byStandard(before).map((one) => ({ ...one, started_from: newest.get(one.standard) ?? 0 }))
        queries.setQueryData(standardsQuery.queryKey, await ask(api.PUT('/api/furnish/prices', { body: { changes: back, words: 'put back' } })))
        return 'The prices are as they were before; both versions stay in their history.'
      })
    } catch (refusal) {
      setError(refusal)
    }
  }
  const newest = useRef(save)
  newest.current = save
  /** Also what is being typed into a cell; what reads as no price is gone to, and nothing is kept. */
  const keepAll = (): void => {
    const cell = document.activeElement
    flushSync(() => { if (cell instanceof HTMLInputElement) cell.blur() })
    const wrong = box.current?.querySelector<HTMLElement>('[aria-invalid=true]')
    if (wrong) wrong.focus()
    else {
      if (cell instanceof HTMLInputElement) cell.focus()
      void newest.current()
    }
  }
  const inHand = hand.size ? cellOf([...hand].at(-1) ?? '') : null
  const standard = view.standards.find((one) => one.standard.key === inHand?.standard)?.standard
  const looked = inHand && standard && { sheet: inHand.sheet, standard, model: view.models.find(([key]) => key === inHand.sheet)?.[1] ?? inHand.sheet }
  const putBack = (): void => {
    setChanges(() => new Map())
    setPercent(0)
    setPasted('')
  }
  useKeys('Prices', [
    { key: 'Ctrl Enter', does: 'keep the prices', off: changes.size ? '' : 'no price was changed' },
    { key: 'Ctrl D', does: 'fill down what is in hand', off: hand.size > 1 ? '' : 'take several cells first, with Shift' },
  ])
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: keys of the whole grid; each has a button beside it
    <div className="grid grid-cols-[minmax(0,1fr)_20rem] gap-8 max-xl:grid-cols-1" onKeyDown={(event) => {
      if (!event.ctrlKey && !event.metaKey) return
      if (event.key === 'Enter') { event.preventDefault(); keepAll() }
      if (event.key === 'd' && hand.size > 1) { event.preventDefault(); fillDown() }
    }}>
      <section className="min-w-0">
        <div className="flex flex-wrap items-center gap-4 mb-1">
          <h1 className="grow">Prices <span className="quiet text-base font-normal">base, in {currencySign()}; the dots lie on one scale</span></h1>
          <input type="search" className="input h-11 w-56 bg-base-100" placeholder="Filter models" aria-label="Filter models" value={filter} onChange={(event) => setFilter(event.target.value)} />
        </div>
        {view.unpriced.length > 0 && <p className="border-l-4 border-accent bg-base-100 px-4 py-2 mb-2">{count(view.unpriced.length, 'model')} without any price: their units wait and are never taken apart for want of one.</p>}
        <div ref={box} className="overflow-auto max-h-[max(20rem,calc(100dvh-24rem))]">
          <table className="w-full table-fixed" style={{ minWidth: `${10 + 14 * view.standards.length}rem` }} aria-label="Prices by model, standard and grade" aria-rowcount={models.length + 2}>
            <colgroup><col className="w-40" />{view.standards.map(({ standard }) => <col key={standard.key} span={3} />)}</colgroup>
            <thead className="sticky top-0 z-10 bg-base-200 shadow-[0_2px_0_var(--ink)]">
              <tr><td />{view.standards.map(({ standard }) => <th key={standard.key} colSpan={3} className="pl-5 pb-0"><b className="text-base-content">{standard.name}</b></th>)}</tr>
              <tr className="border-b-2 border-base-content"><td />{view.standards.map(({ standard }) => <th key={standard.key} colSpan={3} className="pl-5"><span className="grid grid-cols-3">{GRADES.map((grade) => <span key={grade} className="text-right pr-2">{grade}</span>)}</span></th>)}</tr>
            </thead>
            <tbody>
              {above > 0 && <tr style={{ height: above }} />}
              {inSight.map((row) => {
                const [sheet = '', name = ''] = models[row.index] ?? []
                return <ModelRow key={sheet} at={row.index} measured={rows.measureElement} sheet={sheet} name={name} standards={view.standards} prices={prices} changes={changes} hand={hand} top={top} onTake={take} onPut={put} onPaste={(text, standard) => void paste(text, standard)} />
              })}
              {below > 0 && <tr style={{ height: below }} />}
            </tbody>
          </table>
        </div>
        {models.length === 0 && <p className="quiet mt-3">No model is called like “{filter}”.</p>}
        <div className="bg-base-100 border-l-4 border-accent px-5 py-4 mt-4 grid grid-cols-[14rem_minmax(0,1fr)_minmax(0,1fr)] gap-8 max-lg:grid-cols-1 sticky bottom-0">
          <div>
            <p className="font-bold">{count(hand.size, 'price')} in hand</p>
            <p className="quiet text-note">Click one; Shift and click takes all between.</p>
            <button type="button" className="underline disabled:opacity-40" disabled={hand.size < 2} onClick={fillDown}>fill down <kbd>Ctrl D</kbd></button>
          </div>
          <label>By per cent, to whole {currencySign()} <b className="fitink figure float-right">{percent > 0 ? '+' : ''}{percent} %</b>
            <input type="range" className="range w-full mt-2" min={-LARGEST_TURN} max={LARGEST_TURN} value={percent} disabled={hand.size === 0} onChange={(event) => void turn(Number(event.target.value))} />
          </label>
          <p className="text-note quiet">{pasted || 'Paste rows of a spreadsheet into a cell: model, then a column a grade.'}</p>
        </div>
      </section>
      <div>
        <Effect call={ofStandards} asked={changes.size ? { documents: [], prices: byStandard(changes) } : null} />
        <ProblemNote error={error} />
        <div className="flex gap-3 mt-4">
          <button type="button" className="btn btn-primary btn-bench" disabled={changes.size === 0} onClick={() => void save()}>Keep {changes.size > 0 && count(changes.size, 'price')} <kbd>Ctrl Enter</kbd></button>
          <button type="button" className="btn btn-outline btn-bench" disabled={changes.size === 0} onClick={putBack}>Put back</button>
        </div>
        {looked && <PriceHistory sheet={looked.sheet} model={looked.model} standard={looked.standard} />}
      </div>
    </div>
  )
}

interface RowProps {
  at: number
  measured: (row: Element | null) => void
  sheet: string
  name: string
  standards: Schemas['StandardView'][]
  prices: ReadonlyMap<string, number>
  changes: Changes
  hand: ReadonlySet<string>
  top: number
  onTake: (key: string, further: boolean) => void
  onPut: (cells: [string, number | null][]) => void
  onPaste: (text: string, standard: string) => void
}

const ModelRow = memo(function ModelRow({ at, measured, sheet, name, standards, prices, changes, hand, top, onTake, onPut, onPaste }: RowProps) {
  return (
    <tr ref={measured} data-index={at} aria-rowindex={at + 3} className="rule-b align-top">
      <th scope="row" className="pt-2 pr-2 font-bold text-base-content [overflow-wrap:anywhere] sticky left-0 bg-base-200">{name}</th>
      {standards.map(({ standard }) => {
        const cells = GRADES.map((grade) => keyOf({ standard: standard.key, sheet, grade }))
        const figures = cells.map((key) => (changes.has(key) ? changes.get(key) : prices.get(key)) ?? null)
        return (
          <td key={standard.key} colSpan={3} className="pl-5 pb-1">
            <div className="grid grid-cols-3">
              {cells.map((key, n) => (
                <PriceCell key={key} words={`${name}, ${standard.name}, grade ${GRADES[n]}`} cents={figures[n] ?? null} was={changes.has(key) ? (prices.get(key) ?? null) : undefined} held={hand.has(key)} onTake={(further) => onTake(key, further)} onPut={(cents) => onPut([[key, cents]])} onPaste={(text) => onPaste(text, standard.key)} />
              ))}
            </div>
            <svg viewBox="0 0 200 10" className="w-full h-2.5 block" aria-hidden="true">
              <line x1="0" x2="200" y1="5" y2="5" stroke="var(--rule)" strokeWidth="2" />
              {figures.map((cents, n) => {
                const key = cells[n] ?? ''
                if (cents === null) return null
                const was = changes.has(key) ? prices.get(key) : undefined
                return (
                  <g key={key}>
                    {was !== undefined && <line x1={4 + (was / top) * 192} x2={4 + (cents / top) * 192} y1="5" y2="5" stroke="var(--fit)" strokeWidth="2" />}
                    <circle cx={4 + (cents / top) * 192} cy="5" r="3.4" fill={was === undefined ? 'var(--ink)' : 'var(--sheet)'} stroke={was === undefined ? 'none' : 'var(--fit)'} strokeWidth="2" />
                  </g>
                )
              })}
            </svg>
          </td>
        )
      })}
    </tr>
  )
}, (one, other) => {
  if (one.at !== other.at || one.standards !== other.standards || one.prices !== other.prices || one.top !== other.top || one.onTake !== other.onTake) return false
  const keys = one.standards.flatMap(({ standard }) => GRADES.map((grade) => keyOf({ standard: standard.key, sheet: one.sheet, grade })))
  return keys.every((key) => one.changes.has(key) === other.changes.has(key) && one.changes.get(key) === other.changes.get(key) && one.hand.has(key) === other.hand.has(key))
})

interface CellProps {
  words: string
  cents: number | null
  /** What it was before, where it was changed. */
  was: number | null | undefined
  held: boolean
  onTake: (further: boolean) => void
  onPut: (cents: number | null) => void
  onPaste: (text: string) => void
}

function PriceCell({ words, cents, was, held, onTake, onPut, onPaste }: CellProps) {
  const [typed, setTyped] = useState<string | null>(null)
  const shown = typed ?? (cents === null ? '' : String(cents / 100))
  const wrong = typed !== null && centsOf(typed) === undefined
  const done = (): void => {
    const value = typed === null ? undefined : centsOf(typed)
    if (value !== undefined) onPut(value)
    if (!wrong) setTyped(null)
  }
  return (
    <div className={`text-right ${held ? 'row-open' : ''}`}>
      <input
        className={`w-full bg-transparent text-right text-lg px-2 py-1 outline-offset-0 ${was !== undefined ? 'fitink font-bold' : ''} ${wrong ? 'border-2 border-error' : ''} placeholder:text-accent placeholder:text-note`}
        aria-label={words}
        aria-invalid={wrong}
        inputMode="decimal"
        placeholder="none"
        value={shown}
        onMouseDown={(event) => { if (event.shiftKey) event.preventDefault(); onTake(event.shiftKey) }}
        onFocus={(event) => event.target.select()}
        onChange={(event) => setTyped(event.target.value)}
        onBlur={done}
        onKeyDown={(event) => { if (event.key === 'Enter' && !event.ctrlKey) done(); if (event.key === 'Escape') setTyped(null) }}
        onPaste={(event) => {
          const text = event.clipboardData.getData('text')
          if (/[\t\n;]/.test(text.trim())) {
            event.preventDefault()
            onPaste(text)
          }
        }}
      />
      {was !== undefined && <s className="quiet text-sm block pr-2 -mt-1">{was === null ? 'none' : roundMoney(was)}</s>}
    </div>
  )
}
