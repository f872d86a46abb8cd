import type { Schemas } from '../../api/client'
import { Mark } from '../../api/vocabulary'

export type Cell = Schemas['StripCell']

/** Hatches and stripes that the strip's shapes are filled with; drawn once a page. */
export function StripPatterns() {
  return (
    <svg width="0" height="0" aria-hidden="true" className="absolute">
      <defs>
        <pattern id="strip-hatch" width="6" height="6" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
          <rect width="6" height="6" fill="var(--sheet)" />
          <rect width="2.4" height="6" fill="var(--ink)" />
        </pattern>
        <pattern id="strip-hazard" width="10" height="10" patternUnits="userSpaceOnUse" patternTransform="rotate(-45)">
          <rect width="10" height="10" fill="var(--sheet)" />
          <rect width="5" height="10" fill="var(--hazard)" />
        </pattern>
      </defs>
    </svg>
  )
}

interface Box {
  cell: Cell
  x: number
  y: number
  width: number
  height: number
  /** Stroke of outlines; thin in lines of lists, heavier on the bench. */
  stroke: number
}

/** One place as a shape. Shape tells the state, colour only helps. */
export function PlaceShape({ cell, x, y, width, height, stroke }: Box) {
  const inset = stroke / 2
  const frame = { x: x + inset, y: y + inset, width: width - stroke, height: height - stroke, rx: Math.min(3, height / 8) }
  const filled = cell.fill ?? 1
  switch (cell.mark) {
    case Mark.GOOD:
      return (
        <g>
          {cell.fill != null && <rect {...frame} fill="var(--sheet)" stroke="var(--ink)" strokeWidth={stroke} />}
          <rect {...frame} width={frame.width * filled} fill="var(--ink)" stroke="none" />
        </g>
      )
    case Mark.SOLDERED:
      return <rect {...frame} fill="url(#strip-hatch)" stroke="var(--ink)" strokeWidth={stroke} />
    case Mark.TO_FIT:
      return (
        <g>
          <rect {...frame} fill="var(--sheet)" stroke="var(--fit)" strokeWidth={stroke * 2} />
        </g>
      )
    case Mark.HAZARD:
      return <rect {...frame} fill="url(#strip-hazard)" stroke="var(--hazard)" strokeWidth={stroke} />
    case Mark.FAULTY:
      return (
        <g>
          <rect {...frame} fill="var(--ink)" />
          <path d={`M${x + width * 0.62} ${y} l${-width * 0.24} ${height * 0.55} h${width * 0.2} l${-width * 0.2} ${height * 0.45}`} fill="none" stroke="var(--sheet)" strokeWidth={stroke * 1.8} />
        </g>
      )
    case Mark.MISSING:
      return <rect {...frame} fill="none" stroke="var(--fit)" strokeWidth={stroke} strokeDasharray={`${stroke * 2.2} ${stroke * 1.8}`} />
    case Mark.UNSEEN:
      return (
        <g>
          <rect {...frame} fill="none" stroke="var(--quiet)" strokeWidth={stroke} strokeDasharray={`1 ${stroke * 2.5}`} strokeLinecap="round" />
        </g>
      )
    default:
      return <rect {...frame} fill="none" stroke="var(--ink)" strokeWidth={stroke} />
  }
}

interface Marked extends Omit<Box, 'stroke'> {
  /** Of the marks, in px. */
  size: number
  lettered?: boolean
}

/** A letter of a figure takes about so much of its size. */
const WIDE = 0.6

/** No letter is smaller, in px. */
const LEAST = 16

/** The figure of a place: wholly in one side of its fill, the smaller the less room that has; where neither has any, over both. */
export function Figure({ cell, x, y, width, height, said, size }: Omit<Box, 'stroke'> & { said: string; size: number }) {
  const filled = cell.mark === Mark.GOOD ? width * (cell.fill ?? 1) : 0
  const wanted = said.length * size * WIDE
  const inFill = wanted <= filled || (wanted > width - filled && filled >= width / 2)
  const side = inFill ? filled : width - filled
  const fits = Math.min(size, side / (said.length * WIDE))
  const letters = fits < LEAST ? size : fits
  const room = said.length * letters * WIDE
  const middle = fits < LEAST ? width / 2 : inFill ? filled / 2 : (filled + width) / 2
  const sides: [number, number, string][] = [[0, filled, 'var(--sheet)'], [filled, width, 'var(--ink)']]
  const hatched = cell.mark === Mark.SOLDERED
  const reached = sides.filter(([from, to]) => from < middle + room / 2 && to > middle - room / 2 && to > from)
  return reached.map(([from, to, ink]) => (
    <svg key={ink} aria-hidden="true" x={x + from} y={y} width={to - from} height={height}>
      <text
        x={middle - from}
        y={height / 2}
        dominantBaseline="central"
        textAnchor="middle"
        fontSize={letters}
        fontWeight={700}
        fill={ink}
        stroke={hatched ? 'var(--sheet)' : 'none'}
        strokeWidth={hatched ? 6 : 0}
        paintOrder="stroke"
      >
        {said}
      </text>
    </svg>
  ))
}

/** Letters this near to each other would touch, in px. */
const TOUCHING = 16
/** So far stands a letter from the line of one in the second row. */
const BESIDE = 9
/** Down to the line that a letter stands on, from the mark above it. */
const LETTER_PX = 15

/** Where the standards' gates lie: below the pack's edge, so that they cross neither fill nor figure. */
export function Notches({ cell, x, y, width, height, size, lettered = false }: Marked) {
  const edge = y + height + 1
  const at = cell.notches.map((notch) => x + width * notch.at)
  // One that would touch the one before it goes to a second row, unless that went there itself.
  const lower: boolean[] = []
  for (const [index, here] of at.entries()) lower.push(index > 0 && !lower[index - 1] && here - (at[index - 1] ?? 0) < TOUCHING)
  const letterAt = (index: number): number => {
    const [before, here, after] = [at[index - 1], at[index] ?? x, at[index + 1]]
    if (lower[index]) return here
    if (lower[index - 1] && before !== undefined) return Math.max(here, before + BESIDE)
    return lower[index + 1] && after !== undefined ? Math.min(here, after - BESIDE) : here
  }
  return (
    <>
      {cell.notches.map((notch, index) => {
        const here = at[index] ?? x
        const down = edge + size + LETTER_PX
        return (
          <g key={notch.at}>
            <title>{notch.words}</title>
            <path d={`M${here} ${edge} l${size * 0.6} ${size} h${-size * 1.2} Z`} fill="var(--fit)" />
            {lettered && lower[index] && <line x1={here} x2={here} y1={edge + size} y2={down} stroke="var(--fit)" />}
            {lettered && <text x={letterAt(index)} y={lower[index] ? down + LETTER_PX : down} fontSize="16" fontWeight="700" textAnchor="middle" fill="var(--ink)">{notch.letters}</text>}
          </g>
        )
      })}
    </>
  )
}

/** A required part or a test as a small peg. */
export function Peg({ cell, cx, cy, r }: { cell: Cell; cx: number; cy: number; r: number }) {
  switch (cell.mark) {
    case Mark.GOOD:
      return <circle cx={cx} cy={cy} r={r} fill="var(--ink)" />
    case Mark.MISSING:
      return <circle cx={cx} cy={cy} r={r - 0.7} fill="none" stroke="var(--fit)" strokeWidth={1.6} strokeDasharray="2 1.6" />
    case Mark.TO_FIT:
      return <circle cx={cx} cy={cy} r={r - 0.9} fill="var(--sheet)" stroke="var(--fit)" strokeWidth={2.2} />
    case Mark.FAULTY:
      return (
        <g>
          <circle cx={cx} cy={cy} r={r} fill="var(--ink)" />
          <path d={`M${cx + r * 0.5} ${cy - r} L${cx - r * 0.4} ${cy + r * 0.1} L${cx + r * 0.4} ${cy} L${cx - r * 0.5} ${cy + r}`} fill="none" stroke="var(--ground)" strokeWidth={1.6} />
        </g>
      )
    case Mark.NOT_NEEDED:
      return <circle cx={cx} cy={cy} r={r * 0.4} fill="var(--rule)" />
    default:
      return <circle cx={cx} cy={cy} r={r - 0.6} fill="none" stroke="var(--quiet)" strokeWidth={1.2} strokeDasharray="1 2" />
  }
}
