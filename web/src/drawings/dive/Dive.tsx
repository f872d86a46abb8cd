import type { Schemas } from '../../api/client'
import { Caution, Depth, Tool } from '../../api/vocabulary'
import { useWidth } from '../width'

type WorkStep = Schemas['WorkStep']

const DEPTHS = Object.values(Depth)
const LEFT = 88
const TOP = 27
const ROW = 32

/** Marks by tool; the legend under the dive says which is which. */
const MARKS = ['square', 'diamond', 'triangle', 'hexagon'] as const
type MarkShape = (typeof MARKS)[number] | 'circle'

export const toolMark = (tools: string[], tool: string): MarkShape => (tool === Tool.HAND ? 'circle' : (MARKS[tools.indexOf(tool) % MARKS.length] ?? 'square'))

export function ToolMark({ shape, cx, cy, r, ...paint }: { shape: MarkShape; cx: number; cy: number; r: number; fill: string; stroke: string; strokeWidth: number }) {
  const corners = (n: number, turn: number): string =>
    Array.from({ length: n }, (_, i) => {
      const angle = (i / n) * 2 * Math.PI + turn
      return `${cx + r * 1.2 * Math.cos(angle)},${cy + r * 1.2 * Math.sin(angle)}`
    }).join(' ')
  switch (shape) {
    case 'square':
      return <polygon points={corners(4, Math.PI / 4)} {...paint} />
    case 'diamond':
      return <polygon points={corners(4, 0)} {...paint} />
    case 'triangle':
      return <polygon points={corners(3, -Math.PI / 2)} {...paint} />
    case 'hexagon':
      return <polygon points={corners(6, 0)} {...paint} />
    default:
      return <circle cx={cx} cy={cy} r={r} {...paint} />
  }
}

/** One work order as depth against order of steps: down through the machine and up again. */
export function Dive({ steps, tools, done }: { steps: WorkStep[]; tools: string[]; done: number }) {
  const [frame, width] = useWidth<HTMLDivElement>(720)
  const gap = (width - LEFT - 30) / Math.max(1, steps.length - 1)
  const at = (index: number): [number, number] => [LEFT + 12 + index * gap, TOP + ROW * DEPTHS.indexOf(steps[index]?.depth as (typeof DEPTHS)[number])]
  const path = steps.map((_, index) => at(index).join(',')).join(' ')
  const walked = steps.slice(0, Math.min(done + 1, steps.length)).map((_, index) => at(index).join(',')).join(' ')
  const r = Math.max(5, Math.min(8, gap * 0.26))
  const words = steps.map((step, index) => `${index + 1} ${step.title}${index < done ? ', done' : ''}`).join('; ')
  return (
    <div ref={frame}>
      <svg width={width} height={TOP + ROW * 4 + 20} className="block" role="img" aria-label={`The dive: ${words}`}>
        {DEPTHS.map((depth, index) => (
          <g key={depth}>
            <text x="0" y={TOP + ROW * index} dominantBaseline="central" fontSize="16" fill="var(--quiet)">{depth}</text>
            <line x1={LEFT} x2={width} y1={TOP + ROW * index} y2={TOP + ROW * index} stroke="var(--rule)" strokeWidth="1.5" />
          </g>
        ))}
        <polyline points={path} fill="none" stroke="var(--quiet)" strokeWidth="1.5" strokeDasharray="4 3" />
        <polyline points={walked} fill="none" stroke="var(--ink)" strokeWidth="2.5" />
        {steps.map((step, index) => {
          const [x, y] = at(index)
          const acts = step.actions.length > 0
          const isDone = index < done
          const isCurrent = index === done
          return (
            <g key={step.key}>
              <title>{`${index + 1}. ${step.title}`}</title>
              {step.cautions.length > 0 && (
                step.cautions.some((caution) => caution.key === Caution.LITHIUM)
                  ? <circle cx={x} cy={y} r={r + 5.5} fill="none" stroke="var(--hazard)" strokeWidth="2" />
                  : <circle cx={x} cy={y} r={r + 5.5} fill="none" stroke="var(--quiet)" strokeWidth="1.2" strokeDasharray="2 2.5" />
              )}
              {isCurrent && <path d={`M${x} ${y - r - 9} l-6 -8 h12 z`} fill="var(--ink)" />}
              <ToolMark
                shape={toolMark(tools, step.tool)}
                cx={x}
                cy={y}
                r={isCurrent ? r + 2 : r}
                fill={isDone ? 'var(--ink)' : isCurrent && !acts ? 'var(--ink)' : 'var(--sheet)'}
                stroke={acts ? 'var(--fit)' : 'var(--ink)'}
                strokeWidth={acts ? 3 : 2}
              />
            </g>
          )
        })}
      </svg>
    </div>
  )
}
