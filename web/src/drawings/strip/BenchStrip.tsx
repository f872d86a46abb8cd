import { memo, useRef } from 'react'
import type { Schemas } from '../../api/client'
import { type Cell, Figure, Notches, Peg, PlaceShape } from './shapes'
import { Mark, StripGroup } from '../../api/vocabulary'
import { headingOf } from '../../frame/vocabulary'
import { LARGE, SMALL, goesOn, isPeg, isWritten, placesOf, shown, struck } from './form'

export interface BenchProps {
  strip: Schemas['Strip']
  entries: Record<string, string>
  /** What the last unit of this model held; Enter confirms it place by place. */
  like: Record<string, string>
  /** Places that are there once it is taken over as the other units are. */
  stays: readonly string[]
  refusals: Record<string, string>
  disabled: boolean
  onType: (key: string, text: string) => void
  /** Fill every peg nobody looked at yet. */
  onAllThere: () => void
  onKeep: (enough: boolean) => void
  /** A tag was scanned into a place. */
  onScan: (tag: string) => void
  /** Everything the last unit of this model held is so here too. */
  onSame: () => void
  /** The danger key was pressed at a place that is no pack. */
  onDanger: () => void
  /** The key of the bench line was pressed. */
  onLine: () => void
}

/** What is done at a field; the same object all the time, so that a key draws only its own place. */
type Hands = React.RefObject<{
  focused: (text: string) => void
  typed: (cell: Cell, text: string) => void
  pressed: (cell: Cell, event: React.KeyboardEvent<HTMLInputElement>) => void
}>

/** The bench size of the strip: the drawing is the form. Arrow keys walk it, typing fills it. */
export function BenchStrip({ strip, entries, like, stays, refusals, disabled, onType, onAllThere, onKeep, onScan, onSame, onDanger, onLine }: BenchProps) {
  const root = useRef<HTMLDivElement>(null)
  const before = useRef('')
  /** The focus went on by itself: an Enter out of habit does nothing once. */
  const moved = useRef(false)

  const places = placesOf(strip.cells, entries, like, stays)
  const focus = (at: number): void => {
    const field = root.current?.querySelector<HTMLInputElement>(`input[data-place="${CSS.escape(places[at]?.key ?? '')}"]`)
    field?.focus()
    // What is being written is gone on with, what is whole is written over.
    if (!field?.value.endsWith(' ')) field?.select()
  }

  const pressed = (cell: Cell, event: React.KeyboardEvent<HTMLInputElement>) => {
    const field = event.currentTarget
    const at = places.findIndex((place) => place.key === cell.key)
    const move = struck(places, at, {
      key: event.key,
      ctrl: event.ctrlKey,
      shift: event.shiftKey,
      alt: event.altKey,
      meta: event.metaKey,
      atStart: field.selectionStart === 0,
      atEnd: field.selectionEnd === field.value.length,
    })
    if (event.key === 'Enter' && moved.current && !event.ctrlKey && !event.shiftKey) {
      moved.current = false
      event.preventDefault()
      return
    }
    moved.current = move?.does === 'same' || move?.does === 'rest' || (move?.does === 'type' && move.to !== at)
    if (!move) return
    event.preventDefault()
    switch (move.does) {
      case 'leave':
        return field.blur()
      case 'keep':
        // A key that is held keeps this unit, not the next ones as well.
        return event.repeat ? undefined : onKeep(move.enough)
      case 'scan':
        onType(cell.key, before.current)
        return onScan(move.tag)
      case 'type':
        onType(cell.key, move.text)
        return focus(move.to)
      case 'go':
        return focus(move.to)
      case 'same':
        onSame()
        return focus(move.to)
      case 'rest':
        onAllThere()
        return focus(move.to)
      case 'line':
        return onLine()
      case 'warn':
        return onDanger()
    }
  }

  const typed = (cell: Cell, text: string): void => {
    onType(cell.key, text)
    if (!goesOn(text)) return
    moved.current = true
    focus(Math.min(places.findIndex((place) => place.key === cell.key) + 1, places.length - 1))
  }
  const focused = (text: string): void => { before.current = text }
  const hands: Hands = useRef({ focused, typed, pressed })
  hands.current = { focused, typed, pressed }
  const fieldOf = (cell: Cell) => ({
    cell,
    hands,
    disabled,
    value: shown(cell, entries),
    usual: like[cell.key] ?? '',
    refusal: refusals[cell.key] ?? '',
  })
  const cells = (group: Cell['group']): Cell[] => strip.cells.filter((cell) => cell.group === group)

  return (
    <div ref={root} className="flex flex-wrap gap-x-4 gap-y-3 items-start" role="group" aria-label="Slot strip">
      {LARGE.filter((group) => cells(group).length).map((group) => (
        <section key={group}>
          <h2 className="mb-1.5">{headingOf('StripGroup', group)}</h2>
          {group === StripGroup.MEMORY && (
            <div className="flex gap-2">
              {cells(group).map((cell) => (
                <Big key={cell.key} {...fieldOf(cell)} width={72} height={122} look="w-full text-center text-lg font-semibold" />
              ))}
            </div>
          )}
          {group === StripGroup.DRIVE && (
            <div className="flex flex-col gap-2.5">
              {cells(group).map((cell) => (
                <Big key={cell.key} {...fieldOf(cell)} width={cell.bay ? 150 : 180 * cell.length} height={cell.bay ? 58 : 40} look="w-full text-lg font-semibold" />
              ))}
            </div>
          )}
          {group === StripGroup.PACK && (
            <div className="flex flex-col gap-2.5">
              {cells(group).map((cell) => (
                <Big key={cell.key} {...fieldOf(cell)} width={196 * cell.length} height={cells(group).length > 1 ? 44 : 80} look="w-full text-lg font-semibold" />
              ))}
            </div>
          )}
        </section>
      ))}
      {/* Beside the places where there is room for three columns, else under them in as many as fit. */}
      <div className="grow basis-[27rem] [column-width:8.75rem] gap-x-3">
        {SMALL.map((group) => cells(group).map((cell, index) => (
          <div key={cell.key} className="break-inside-avoid">
            {index === 0 && group !== StripGroup.GRADE && <h2 className={`mb-1.5 ${group === StripGroup.PART ? '' : 'mt-2'}`}>{headingOf('StripGroup', group)}</h2>}
            {group === StripGroup.CONFIGURATION || isWritten(group, entries[cell.key] ?? '')
              ? <PegField {...fieldOf(cell)} look="text-right max-w-full" wide />
              : <PegField {...fieldOf(cell)} look={`w-5 text-center ${group === StripGroup.GRADE ? 'uppercase font-semibold' : ''}`} />}
          </div>
        )))}
      </div>
    </div>
  )
}

/** Under a pack: the marks of its gates with their letters, in two rows where they are near. */
const MARKED_PX = 46

interface FieldProps {
  cell: Cell
  hands: Hands
  disabled: boolean
  value: string
  /** What the units of this model before it held. */
  usual: string
  refusal: string
  look: string
  /** As wide as what is written in it. */
  wide?: boolean
}

function Field({ cell, hands, disabled, value, usual, refusal, look, wide = false }: FieldProps) {
  return (
    <input
      data-place={cell.key}
      style={wide ? { width: `${Math.max(3, (value || usual).length)}ch` } : undefined}
      className={`font-mono bg-transparent outline-none ${look}`}
      value={value}
      disabled={disabled}
      placeholder={isPeg(cell.group) ? '' : usual}
      autoComplete="off"
      spellCheck={false}
      aria-label={`${cell.label}: ${cell.words}`}
      aria-invalid={Boolean(refusal)}
      aria-describedby={refusal ? `refusal-${cell.key}` : 'strip-help'}
      onFocus={(event) => {
        hands.current.focused(event.currentTarget.value)
        event.currentTarget.select()
      }}
      onChange={(event) => hands.current.typed(cell, event.currentTarget.value)}
      onKeyDown={(event) => hands.current.pressed(cell, event)}
    />
  )
}

/** A place drawn large, its field under it. */
const Big = memo(function Big({ width, height, ...field }: FieldProps & { width: number; height: number }) {
  const { cell, refusal } = field
  const box = { cell, x: 0, y: 4, width, height, stroke: 2 }
  const pack = cell.group === StripGroup.PACK
  const onInk = cell.mark === Mark.GOOD && (cell.fill == null || cell.fill > 0.5)
  return (
    <div className="group relative" style={{ width: Math.max(width, pack ? 172 : 72) }}>
      <div className="relative">
        <svg width={width} height={height + (cell.notches.length ? MARKED_PX : 8)} aria-hidden="true" className="block">
          <PlaceShape {...box} />
          <Notches {...box} size={7} lettered />
          {pack && cell.figure && <Figure {...box} said={`${cell.figure} ${cell.unit}`} size={24} />}
        </svg>
        <div
          className="absolute inset-x-0 top-1 grid items-center pointer-events-none text-center leading-tight justify-center"
          style={{ width, height, color: onInk ? 'var(--sheet)' : 'var(--ink)' }}
        >
          <span className={cell.mark === Mark.SOLDERED || cell.mark === Mark.FAULTY ? 'bg-base-100 px-1' : ''}>
            {!pack && <span className="text-2xl font-bold">{cell.figure}</span>}
            {!cell.figure && cell.mark === Mark.UNSEEN && <span className="text-2xl quiet">?</span>}
            {!cell.figure && cell.mark !== Mark.HAZARD && cell.mark !== Mark.UNSEEN && <span className="text-sm">{cell.words}</span>}
            {cell.figure && cell.group === StripGroup.MEMORY && <span className="block text-xs">{cell.unit}</span>}
            {cell.figure && cell.group === StripGroup.DRIVE && <span className="text-sm"> {cell.unit}</span>}
          </span>
        </div>
      </div>
      <div
        className={`h-9 pointer-coarse:h-11 px-1 flex items-center border-b-2 ${refusal ? 'border-accent bg-base-100' : 'border-base-300'} group-focus-within:border-accent group-focus-within:bg-base-100`}
      >
        <Field {...field} />
      </div>
      <p className="text-xs quiet mt-0.5">{cell.label}</p>
    </div>
  )
})

/** A required part or a test: a peg, its word, a field of one character. */
const PegField = memo(function PegField(field: FieldProps) {
  const { cell } = field
  const short = cell.mark === Mark.MISSING || cell.mark === Mark.FAULTY || cell.mark === Mark.TO_FIT
  return (
// biome-ignore lint/a11y/noLabelWithoutControl: its field is in it
    <label className="flex flex-wrap items-center gap-x-1.5 min-h-7 pointer-coarse:min-h-11 py-0.5 text-base leading-tight focus-within:bg-base-100 focus-within:shadow-[inset_2px_0_0_var(--fit)] px-1">
      <svg width="16" height="16" aria-hidden="true" className="shrink-0">
        <Peg cell={cell} cx={8} cy={8} r={6} />
      </svg>
      <span className={`grow basis-16 ${short ? 'fitink font-semibold' : cell.mark === Mark.NOT_NEEDED ? 'quiet' : ''}`}>{cell.label}</span>
      <Field {...field} />
    </label>
  )
})
