import type { Schemas } from '../api/client'
import { Depth } from '../api/vocabulary'

const DEPTHS = Object.values(Depth)
const COLUMN = 150
const LANE = 70
const BOX = 134
const HEIGHT = 58
const LEFT = 70

interface Node {
  key: string
  title: string
  depth: number
  column: number
  after: string[]
  work: boolean
}

/** Steps in the order they become possible; places stand one further, where they are reached. */
function nodes(route: Schemas['Route'], labelOf: (place: string) => string): Node[] {
  const steps = new Map(route.steps.map((step) => [step.key, step]))
  const columns = new Map<string, number>()
  const column = (key: string, seen: Set<string>): number => {
    const known = columns.get(key)
    if (known !== undefined) return known
    // A circle is told in words beside the drawing; here it only must not hang.
    if (seen.has(key)) return 0
    seen.add(key)
    const step = steps.get(key)
    const at = Math.max(-1, ...[...(step?.after ?? []), ...(step?.either ?? [])].filter((one) => steps.has(one)).map((one) => column(one, seen))) + 1
    columns.set(key, at)
    return at
  }
  const drawn: Node[] = route.steps
    .filter((step) => !step.back_only)
    .map((step) => ({ key: step.key, title: step.title, depth: DEPTHS.indexOf(step.depth), column: column(step.key, new Set()), after: [...step.after, ...step.either], work: false }))
  const reached = new Map<string, string[]>()
  for (const reach of route.reaches) {
    const key = reach.carried_by || [...reach.after, ...reach.either].join('+')
    if (key) reached.set(key, [...(reached.get(key) ?? []), labelOf(reach.place)])
  }
  for (const [key, places] of reached) {
    const after = key.split('+').filter((one) => steps.has(one))
    if (after.length === 0) continue
    drawn.push({ key: `at:${key}`, title: places.join(', '), depth: 4, column: Math.max(...after.map((one) => column(one, new Set()))) + 1, after, work: true })
  }
  return drawn
}

/** The route graph of a sheet: how deep each step is, what it waits for, which places it reaches. */
export function RouteGraph({ route, labelOf }: { route: Schemas['Route']; labelOf: (place: string) => string }) {
  const all = nodes(route, labelOf)
  const taken = new Map<string, number>()
  const placed = all.map((node) => {
    const slot = `${node.column} ${node.depth}`
    const row = taken.get(slot) ?? 0
    taken.set(slot, row + 1)
    return { ...node, row }
  })
  const rows = DEPTHS.map((_, depth) => Math.max(1, ...placed.filter((node) => node.depth === depth).map((node) => node.row + 1)))
  const tops = rows.map((_, depth) => rows.slice(0, depth).reduce((sum, count) => sum + count, 0) * LANE)
  const where = new Map(placed.map((node) => [node.key, { x: LEFT + node.column * COLUMN, y: (tops[node.depth] ?? 0) + node.row * LANE + 8 }]))
  const width = LEFT + (Math.max(0, ...placed.map((node) => node.column)) + 1) * COLUMN
  const height = rows.reduce((sum, count) => sum + count, 0) * LANE
  const words = placed.map((node) => `${node.title}${node.after.length ? ` after ${node.after.map((key) => all.find((one) => one.key === key)?.title ?? key).join(' and ')}` : ''}`).join('; ')
  return (
// biome-ignore lint/a11y/noNoninteractiveTabindex: what scrolls must be reached by keys
    <div className="overflow-x-auto" tabIndex={0} aria-label="Route drawing" role="group">
      <svg width={width} height={height} viewBox={`0 0 ${width} ${height}`} role="img" aria-label={words}>
        {DEPTHS.map((depth, index) => (
          <g key={depth}>
            <line x1={0} x2={width} y1={tops[index]} y2={tops[index]} stroke="var(--rule)" />
            <text x={0} y={(tops[index] ?? 0) + 18} fontSize={12} fill="var(--quiet)">{depth}</text>
          </g>
        ))}
        {placed.flatMap((node) => node.after.map((from) => {
          const a = where.get(from)
          const b = where.get(node.key)
          return a && b && <path key={`${from} ${node.key}`} d={`M${a.x + BOX} ${a.y + HEIGHT / 2} C${a.x + BOX + 14} ${a.y + HEIGHT / 2} ${b.x - 14} ${b.y + HEIGHT / 2} ${b.x} ${b.y + HEIGHT / 2}`} fill="none" stroke="var(--quiet)" strokeWidth={1} />
        }))}
        {placed.map((node) => {
          const at = where.get(node.key) ?? { x: 0, y: 0 }
          return (
            <foreignObject key={node.key} x={at.x} y={at.y} width={BOX} height={HEIGHT}>
              <div className={`h-full px-1.5 py-1 text-[0.6875rem] leading-[1.15] overflow-hidden border ${node.work ? 'border-dashed border-base-content bg-base-200' : 'border-base-content bg-base-100'}`} title={node.title}>{node.title}</div>
            </foreignObject>
          )
        })}
      </svg>
    </div>
  )
}
