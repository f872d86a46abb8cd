import type { Schemas } from '../../api/client'
import { type BenchProps, BenchStrip } from './BenchStrip'
import { type Cell, Notches, Peg, PlaceShape } from './shapes'
import { Mark, StripGroup } from '../../api/vocabulary'

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
  card: { height: 44, memory: 20, drive: 62, bay: 40, pack: 104, peg: 5, gap: 5, group: 16, stroke: 1.8, figures: true },
}

type Props = { size: 'line' | 'card'; strip: Schemas['Strip'] } | ({ size: 'bench' } & BenchProps)

/** One unit as what is inside it: in lists (line), beside a unit (card), as the form (bench). */
export function Strip(props: Props) {
  return props.size === 'bench' ? <BenchStrip {...props} /> : <DrawnStrip {...props} />
}

function DrawnStrip({ strip, size }: { strip: Schemas['Strip']; size: 'line' | 'card' }) {
  const m = SIZES[size]
  const top = 3
  let x = 1
  const drawn: React.ReactNode[] = []
  const group = (name: Cell['group']): Cell[] => strip.cells.filter((cell) => cell.group === name)
  const place = (cell: Cell, width: number, height: number): void => {
    const box = { cell, x, y: top + (m.height - height) / 2, width, height, stroke: m.stroke }
    drawn.push(
      <g key={cell.key}>
        <title>{`${cell.label}: ${cell.words}`}</title>
        <PlaceShape {...box} />
        <Notches {...box} />
        {m.figures && cell.figure && <Figure cell={cell} x={x + width / 2} y={box.y + height / 2} />}
      </g>,
    )
    x += width + m.gap
  }
  if (strip.danger) {
    // A danger of the whole unit stands before everything that is in it.
    const side = m.height * 0.9
    drawn.push(
      <g key="danger">
        <title>{strip.danger}</title>
        <path d={`M${x + side / 2} ${top} L${x + side} ${top + m.height} H${x} Z`} fill="url(#strip-hazard)" stroke="var(--hazard)" strokeWidth={m.stroke} />
      </g>,
    )
    x += side + m.gap
  }
  for (const cell of group(StripGroup.MEMORY)) place(cell, m.memory, m.height)
  x += m.group - m.gap
  for (const cell of group(StripGroup.DRIVE)) {
    if (cell.bay) place(cell, m.bay, m.height * 0.86)
    else place(cell, m.drive * cell.length, m.height * 0.42)
  }
  if (group(StripGroup.PACK).length) x += m.group - m.gap
  for (const cell of group(StripGroup.PACK)) place(cell, m.pack * cell.length, m.height * 0.56)
  x += m.group - m.gap
  group(StripGroup.PART).forEach((cell, index) => {
    // Two rows, filled column by column, keep the strip short enough for a list.
    const column = Math.floor(index / 2)
    const row = index % 2 ? 0.76 : 0.24
    drawn.push(
      <g key={cell.key}>
        <title>{`${cell.label}: ${cell.words}`}</title>
        <Peg cell={cell} cx={x + m.peg + column * (m.peg * 2 + m.gap)} cy={top + m.height * row} r={m.peg} />
      </g>,
    )
  })
  x += Math.ceil(group(StripGroup.PART).length / 2) * (m.peg * 2 + m.gap)
  return (
    <svg width={x} height={m.height + 2 * top} viewBox={`0 0 ${x} ${m.height + 2 * top}`} role="img" aria-label={strip.words} className="shrink-0">
      {drawn}
    </svg>
  )
}

function Figure({ cell, x, y }: { cell: Cell; x: number; y: number }) {
  const onInk = cell.mark === Mark.GOOD && (cell.fill == null || cell.fill > 0.6)
  return (
    <text
      x={x}
      y={y}
      dominantBaseline="central"
      textAnchor="middle"
      fontSize={12}
      fontWeight={700}
      fill={onInk ? 'var(--sheet)' : 'var(--ink)'}
      stroke={onInk ? 'none' : 'var(--sheet)'}
      strokeWidth={onInk ? 0 : 4}
      paintOrder="stroke"
    >
      {cell.figure}
    </text>
  )
}
