import { memo, useEffect, useMemo, useRef, useState } from 'react'
import { useSearchParams } from 'react-router'
import type { Schemas } from '../api/client'
import { Strip } from '../drawings/strip/Strip'
import { addressWith } from '../frame/filter'
import { usePrinting } from '../frame/printing'
import { roundMoney, signed, workshop } from '../frame/words'
import { OpenRow } from './OpenRow'
import { type Balance, type Plan, NOT_DECIDED, endOf, endsOf, type End } from './useBalance'
import { OutcomeKind } from '../api/vocabulary'

type Row = Schemas['BalanceRow']

const FIRST_ROWS = 60
/** Height of a strip of a row, before it was ever in sight. */
const STRIP_PX = 30

const rowKey = (row: Row): string => [row.group, row.end, row.action_words.join(), row.order, row.kept].join('|')

/** Groups of identical units before and after, largest first; changed ones marked. */
export function Rows({ slug, plan, balance, filter }: { slug: string; plan: Plan; balance: Balance; filter: string }) {
  const [search, setSearch] = useSearchParams()
  const wanted = search.get('unit')
  const [all, setAll] = useState(false)
  const currency = plan.figures?.currency ?? workshop().currency
  const before = useMemo(() => (balance.tried ? endsOf(balance.data?.plan) : new Map<string, End>()), [balance.tried, balance.data?.plan])
  const notes = useMemo(() => new Map((balance.data?.pins ?? []).map((pin) => [pin.tag, pin])), [balance.data?.pins])
  const moved = useMemo(() => new Map((balance.data?.moved ?? []).map((one) => [one.tag, one.words])), [balance.data?.moved])
  const woken = useMemo(() => new Set((balance.data?.woken ?? []).map((one) => one.tag)), [balance.data?.woken])
  const low = filter.toLowerCase()
  const rows = plan.rows.filter((row) => !low || [row.model, row.end, row.detail, row.order, ...row.action_words, ...row.tags].join(' ').toLowerCase().includes(low))
  // The open row is the one of the unit in the address: it stays through reload, back and a turned dial.
  const opened = wanted ? plan.rows.find((row) => row.tags.includes(wanted)) : undefined
  const open = opened ? rowKey(opened) : null
  const atHand = useRef('')
  // biome-ignore lint/correctness/useExhaustiveDependencies: it runs when what it names changes, not at every drawing
  useEffect(() => {
    if (!opened || atHand.current === wanted) return
    setAll(true)
    document.getElementById(`row-${opened.tags[0]}`)?.scrollIntoView({ block: 'center' })
  }, [wanted, open])
  const toggle = (row: Row): void => {
    const tag = row.tags[0] ?? ''
    atHand.current = tag
    setSearch(addressWith('unit', rowKey(row) === open ? '' : tag), { replace: true })
  }
  const printing = usePrinting()
  const shown = all || printing ? rows : rows.slice(0, FIRST_ROWS)
  return (
    <>
      {/* Widths are given: a table that looks into every row to find them stands still under a turning dial. */}
      <table className="w-full border-collapse table-fixed">
        <thead>
          <tr className="border-b border-base-content text-sm"><th className="pl-2 w-44 max-xl:w-32">units</th><th className="w-56">as found, as planned</th><th>outcome</th><th className="w-16 max-xl:w-14 text-right">cost</th><th className="w-20 text-right">leaves</th></tr>
        </thead>
        {shown.map((row) => {
          const key = rowKey(row)
          const changed = balance.tried ? row.tags.filter((tag) => before.get(tag)?.whole !== endOf(row).whole) : []
          const was = [...new Set(changed.map((tag) => (before.get(tag) ?? NOT_DECIDED).short))].join(', ')
          return (
            <tbody key={key}>
              <OneRow
                row={row}
                found={plan.strips[row.found]}
                planned={plan.strips[row.planned]}
                currency={currency}
                open={open === key}
                changed={changed.length}
                was={was}
                note={row.tags.map((tag) => notes.get(tag)?.note).filter(Boolean).join('; ')}
                woken={row.tags.some((tag) => woken.has(tag))}
                moved={together(row.tags.map((tag) => moved.get(tag) ?? ''))}
                onToggle={() => toggle(row)}
              />
              {open === key && (
                <tr className="rule-b"><td colSpan={5}><OpenRow slug={slug} row={row} plan={plan} balance={balance} currency={currency} /></td></tr>
              )}
            </tbody>
          )
        })}
        <tbody>
          {plan.left_out.map((unit) => (
            <tr key={unit.tag} className="rule-b"><td className="py-2 tag">{unit.tag}</td><td colSpan={4}>{unit.reason}</td></tr>
          ))}
        </tbody>
      </table>
      {rows.length === 0 && <p className="quiet py-4">No group matches the filter.</p>}
      {rows.length > shown.length && <button type="button" className="btn btn-ghost mt-2" onClick={() => setAll(true)}>Show {rows.length - shown.length} more groups</button>}
    </>
  )
}

/** What is so of the units of a row, each once, with how many where it is not of all. */
const together = (words: string[]): string => {
  const counted = new Map<string, number>()
  for (const one of words) if (one) counted.set(one, (counted.get(one) ?? 0) + 1)
  return [...counted].map(([one, times]) => (times === words.length ? one : `${times} ${one}`)).join(', ')
}

interface RowProps {
  row: Row
  found: Schemas['Strip'] | undefined
  planned: Schemas['Strip'] | undefined
  currency: string
  open: boolean
  changed: number
  was: string
  note: string
  woken: boolean
  /** Where its units are by now, where that is elsewhere. */
  moved: string
  onToggle: () => void
}

const STABLE: (keyof RowProps)[] = ['currency', 'open', 'changed', 'was', 'note', 'woken', 'moved']

/** A row is drawn anew only where something of it differs: most rows stay while a dial turns. */
const OneRow = memo(function OneRow({ row, found, planned, currency, open, changed, was, note, woken, moved, onToggle }: RowProps) {
  return (
    <tr id={`row-${row.tags[0]}`} data-row className={`rule-b cursor-pointer hover:bg-base-100 ${open ? 'row-open' : ''} ${changed ? 'row-changed' : ''}`} onClick={onToggle}>
      <td className="py-1.5 pl-2 pr-3 align-top">
        <button type="button"
          className="text-left"
          aria-expanded={open}
          onClick={(event) => { event.stopPropagation(); onToggle() }}
          onKeyDown={(event) => {
            if (event.key !== 'ArrowDown' && event.key !== 'ArrowUp') return
            event.preventDefault()
            const buttons = [...document.querySelectorAll<HTMLButtonElement>('[data-row] button')]
            buttons[buttons.indexOf(event.currentTarget) + (event.key === 'ArrowDown' ? 1 : -1)]?.focus()
          }}
        >
          <span className="whitespace-nowrap">
            {row.tags.length > 1 && <b className="text-lg">{row.tags.length} × </b>}
            <span className="tag text-sm">{row.tags[0]}{row.tags.length > 1 && ' …'}</span>
          </span>
          <span className="block text-xs quiet">{row.model}</span>
          <span className="block text-xs quiet">{row.detail}</span>
        </button>
      </td>
      <td className="py-1.5 pr-3 align-top">
        <div className="flex flex-col drawn-in-sight" style={{ containIntrinsicHeight: `auto ${STRIP_PX * (planned ? 2 : 1)}px` }}>
          {found && <Strip strip={found} size="line" />}
          {planned && <Strip strip={planned} size="line" />}
        </div>
      </td>
      <td className="py-1.5 pr-3 leading-tight align-top">
        <b className="text-note">{row.end}</b>
        {changed > 0 && <span className="fitink text-sm"> · was {was}{changed < row.tags.length && ` for ${changed}`}</span>}
        {row.order && <span className="doneink text-sm"> · for {row.order}</span>}
        {row.pinned && <span className="text-sm"> · pinned</span>}
        {row.kept && <span className="text-sm quiet"> · work order stands</span>}
        {moved && <span className="text-sm doneink"> · {moved}</span>}
        {woken && <span className="doneink text-sm"> · its part has come</span>}
        <span className="block text-sm quiet">{row.outcome === OutcomeKind.DONOR ? `gives ${row.gives.join(', ')}` : row.action_words.join(', ')}</span>
        {row.waits_for.length > 0 && <span className="block text-sm quiet">waits for {row.waits_for.join(', ')}</span>}
        {note && <span className="block text-sm">“{note}”</span>}
      </td>
      <td className="py-1.5 text-right align-top whitespace-nowrap">{roundMoney(row.cost_cents, currency)}</td>
      <td className="py-1.5 pl-4 text-right align-top font-bold whitespace-nowrap">{signed(row.contribution_cents, currency)}</td>
    </tr>
  )
}, (one, other) =>
  STABLE.every((name) => one[name] === other[name])
  && one.row.found === other.row.found
  && one.row.planned === other.row.planned
  && one.row.tags.join() === other.row.tags.join()
  && one.row.cost_cents === other.row.cost_cents
  && one.row.contribution_cents === other.row.contribution_cents
  && one.row.pinned === other.row.pinned
  && one.row.waits_for.join() === other.row.waits_for.join())
