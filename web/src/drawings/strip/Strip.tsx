import { memo } from 'react'
import type { Schemas } from '../../api/client'
import { type BenchProps, BenchStrip } from './BenchStrip'
import { type Cell, Figure, Notches, Peg, PlaceShape } from './shapes'
import { StripGroup } from '../../api/vocabulary'

export { StripPatterns } from './shapes'

interface Measures {
  height: number
  memory: number
  drive: number
  bay: number
  pack: number
  peg: number
  gap: number
  group: number
  stroke: number
  figures: boolean
}

const SIZES: Record<'line' | 'card', Measures> = {
  line: { height: 24, memory: 9, drive: 27, bay: 19, pack: 46, peg: 3.6, gap: 3, group: 7, stroke: 1.4, figures: false },
  card: { height: 48, memory: 26, drive: 84, bay: 46, pack: 116, peg: 5, gap: 5, group: 16, stroke: 1.8, figures: true },
}

type Props = { size: 'line' | 'card'; strip: Schemas['Strip'] } | ({ size: 'bench' } & BenchProps)

/** One unit as what is inside it: in lists (line), beside a unit (card), as the form (bench). */
export function Strip(props: Props) {
  return props.size === 'bench' ? <BenchStrip {...props} /> : <DrawnStrip {...props} />
}

/** Where one place is drawn. */
export interface Placed {
  cell: Cell
  x: number
  y: number
  width: number
  height: number
}

interface Layout {
  width: number
  height: number
  /** Where the mark of a danger of the whole unit stands; it comes before everything that is in it. */
  danger: number | null
  places: Placed[]
}

const TOP = 3

/** Where each place of a strip stands, from left to right. */
export function layOut(strip: Schemas['Strip'], size: 'line' | 'card'): Layout {
  const m = SIZES[size]
  const places: Placed[] = []
  let x = 1
  const group = (name: Cell['group']): Cell[] => strip.cells.filter((cell) => cell.group === name)
  const place = (cell: Cell, width: number, height: number): void => {
    places.push({ cell, x, y: TOP + (m.height - height) / 2, width, height })
    x += width + m.gap
  }
  const danger = strip.danger ? x : null
  if (strip.danger) x += m.height * 0.9 + m.gap
  for (const cell of group(StripGroup.MEMORY)) place(cell, m.memory, m.height)
  x += m.group - m.gap
  for (const cell of group(StripGroup.DRIVE)) {
    if (cell.bay) place(cell, m.bay, m.height * 0.86)
    else place(cell, m.drive * cell.length, m.height * 0.42)
  }
  if (group(StripGroup.PACK).length) x += m.group - m.gap
  for (const cell of group(StripGroup.PACK)) place(cell, m.pack * cell.length, m.height * 0.56)
  x += m.group - m.gap
  const parts = group(StripGroup.PART)
  parts.forEach((cell, index) => {
    // Two rows, filled column by column, keep the strip short enough for a list.
    const left = x + Math.floor(index / 2) * (m.peg * 2 + m.gap)
    places.push({ cell, x: left, y: TOP + m.height * (index % 2 ? 0.76 : 0.24) - m.peg, width: m.peg * 2, height: m.peg * 2 })
  })
  return { width: x + Math.ceil(parts.length / 2) * (m.peg * 2 + m.gap), height: m.height + 2 * TOP, danger, places }
}

const DrawnStrip = memo(function DrawnStrip({ strip, size }: { strip: Schemas['Strip']; size: 'line' | 'card' }) {
  const m = SIZES[size]
  const { width, height, danger, places } = layOut(strip, size)
  const side = m.height * 0.9
  return (
    <svg width={width} height={height} viewBox={`0 0 ${width} ${height}`} role="img" aria-label={strip.words} className="shrink-0">
      {danger !== null && (
        <g>
          <title>{strip.danger}</title>
          <path d={`M${danger + side / 2} ${TOP} L${danger + side} ${TOP + m.height} H${danger} Z`} fill="url(#strip-hazard)" stroke="var(--hazard)" strokeWidth={m.stroke} />
        </g>
      )}
      {places.map(({ cell, ...box }) => (
        <g key={cell.key}>
          <title>{`${cell.label}: ${cell.words}`}</title>
          {cell.group === StripGroup.PART
            ? <Peg cell={cell} cx={box.x + m.peg} cy={box.y + m.peg} r={m.peg} />
            : (
              <>
                <PlaceShape {...box} cell={cell} stroke={m.stroke} />
                <Notches {...box} cell={cell} size={m.figures ? 5 : 3.5} />
                {m.figures && cell.figure && <Figure {...box} cell={cell} said={cell.figure} size={16} />}
              </>
            )}
        </g>
      ))}
    </svg>
  )
})
