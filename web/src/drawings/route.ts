/**
 * Where the boxes of a route stand and how their leads run. Apart from the page, so that it can be
 * tried without one.
 */
import type { Schemas } from '../api/client'
import { Depth } from '../api/vocabulary'
import { count } from '../frame/words'

export const BOX = 156
export const HEIGHT = 112
export const LEFT = 78
const GAP = 16
/** Between two rows of boxes; the leads run in it. */
const BETWEEN = 30
const DEPTHS = Object.values(Depth)

export interface Node {
  key: string
  title: string
  depth: Schemas['Depth']
  after: string[]
  tool: string
  screws: string
  breaks: string
  cautions: string[]
  minutes: number
  /** Places that are worked on here; empty for what is only on the way. */
  places: string[]
}
export type Placed = Node & { x: number; y: number; column: number; row: number }

/** One set of screws by count and length, several by their number. */
const screwWords = (screws: Schemas['Screws'][]): string => {
  const [one, ...more] = screws
  if (!one) return ''
  if (more.length) return count(screws.reduce((sum, set) => sum + set.count, 0), 'screw')
  return `${one.count} × ${one.length_mm} mm`
}

/** Steps and parts as boxes; parts that are reached in the same way share one. */
export function nodesOf(route: Schemas['Route'], labelOf: (place: string) => string): Node[] {
  const steps = route.steps.filter((step) => !step.back_only)
  const known = new Set(steps.map((step) => step.key))
  const nodes: Node[] = steps.map((step) => ({
    key: step.key,
    title: step.title,
    depth: step.depth,
    after: [...step.after, ...step.either].filter((key) => known.has(key)),
    tool: step.tool,
    screws: screwWords(step.screws),
    breaks: step.breaks[0] ?? '',
    cautions: step.cautions,
    minutes: step.minutes_out,
    places: [],
  }))
  const byLook = new Map<string, Node>()
  for (const reach of route.reaches) {
    const after = [...new Set([...reach.after, ...reach.either, ...(reach.carried_by ? [reach.carried_by] : [])])].filter((key) => known.has(key))
    const look = JSON.stringify([after, reach.tool, reach.screws, reach.cautions, reach.minutes_out, reach.minutes_in])
    const same = byLook.get(look)
    if (same) {
      same.places.push(reach.place)
      same.title = `${same.title}, ${labelOf(reach.place)}`
      continue
    }
    const node: Node = { key: `at:${reach.place}`, title: labelOf(reach.place), depth: Depth.PART, after, tool: reach.tool, screws: screwWords(reach.screws), breaks: '', cautions: reach.cautions, minutes: reach.minutes_out + reach.minutes_in, places: [reach.place] }
    byLook.set(look, node)
    nodes.push(node)
  }
  return nodes
}

/** What a box waits for itself; what those wait for in turn is left out. */
export function direct(nodes: readonly Node[]): Map<string, string[]> {
  const by = new Map(nodes.map((node) => [node.key, node]))
  const above = new Map<string, Set<string>>()
  const all = (key: string, seen: ReadonlySet<string>): Set<string> => {
    const known = above.get(key)
    if (known) return known
    const found = new Set<string>()
    // A circle is told in words beside the drawing; here it only must not hang.
    if (!seen.has(key)) {
      for (const before of by.get(key)?.after ?? []) {
        found.add(before)
        for (const one of all(before, new Set([...seen, key]))) found.add(one)
      }
      above.set(key, found)
    }
    return found
  }
  return new Map(nodes.map((node) => [node.key, node.after.filter((key) => by.has(key) && !node.after.some((other) => other !== key && all(other, new Set([node.key])).has(key)))]))
}

/** Boxes in bands by depth, packed left to right; a band takes as many rows as it needs. */
export function layOut(nodes: readonly Node[], width: number): { placed: Placed[]; bands: { depth: Schemas['Depth']; top: number }[]; height: number } {
  const columns = Math.max(1, Math.floor((width - LEFT + GAP) / (BOX + GAP)))
  const placed: Placed[] = []
  const bands: { depth: Schemas['Depth']; top: number }[] = []
  let top = 0
  for (const depth of DEPTHS) {
    const here = nodes.filter((node) => node.depth === depth)
    if (here.length === 0) continue
    bands.push({ depth, top })
    for (const [index, node] of here.entries()) {
      const column = index % columns
      const row = Math.floor(index / columns)
      placed.push({ ...node, column, row: bands.length * 100 + row, x: LEFT + column * (BOX + GAP), y: top + BETWEEN / 2 + row * (HEIGHT + BETWEEN) })
    }
    top += Math.ceil(here.length / columns) * (HEIGHT + BETWEEN)
  }
  return { placed, bands, height: top + 4 }
}

/** The lines between boxes: straight to a neighbour, else through the gaps between rows and columns. */
export function leads(placed: readonly Placed[]): { from: string; to: string; path: string }[] {
  const by = new Map(placed.map((node) => [node.key, node]))
  const found: { from: string; to: string; path: string }[] = []
  for (const [key, before] of direct(placed)) {
    const to = by.get(key)
    for (const one of before) {
      const from = by.get(one)
      if (from && to) found.push({ from: one, to: key, path: lead(from, to) })
    }
  }
  return found
}

function lead(from: Placed, to: Placed): string {
  if (from.row === to.row && to.column === from.column + 1) return `M${from.x + BOX} ${from.y + HEIGHT / 2} H${to.x}`
  const start = from.x + BOX / 2
  const end = to.x + BOX / 2
  const under = from.y + HEIGHT + BETWEEN / 2 - 5
  const over = to.y - BETWEEN / 2 + 5
  const begin = `M${start} ${from.y + HEIGHT} V${under}`
  if (Math.abs(over - under) <= BETWEEN) return `${begin} H${end} V${to.y}`
  return `${begin} H${to.x - GAP / 2} V${over} H${end} V${to.y}`
}
