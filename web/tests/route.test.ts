import { describe, expect, it } from 'vitest'
import type { Schemas } from '../src/api/client'
import { BOX, HEIGHT, direct, layOut, leads, nodesOf } from '../src/drawings/route'

const NOTHING = { after: [], either: [], screws: [], cautions: [], breaks: [], tool: 'hand', minutes_out: 1 }
const step = (key: string, depth: string, after: string[] = []): object => ({ ...NOTHING, key, title: key, depth, after })
const reach = (place: string, after: string[], more: object = {}): object => ({ ...NOTHING, place, after, carried_by: '', minutes_in: 1, ...more })
const ROUTE = {
  steps: [step('off', 'outside'), step('cover', 'cover', ['off']), step('plug', 'isolate', ['off', 'cover']), step('lid', 'shield', ['plug', 'cover'])],
  reaches: [reach('m1', ['lid']), reach('m2', ['lid']), reach('fan', ['plug'], { tool: 'PH0' }), reach('board', ['gone'])],
} as unknown as Schemas['Route']
const NODES = nodesOf(ROUTE, (place) => place.toUpperCase())

describe('the boxes of a route', () => {
  it('are steps and parts; what is reached alike shares one', () => {
    expect(NODES.map((node) => node.title)).toEqual(['off', 'cover', 'plug', 'lid', 'M1, M2', 'FAN', 'BOARD'])
    expect(NODES[4]?.places).toEqual(['m1', 'm2'])
  })
  it('wait for what comes straight before them alone, and never for what is not there', () => {
    const found = direct(NODES)
    expect(found.get('plug')).toEqual(['cover'])
    expect(found.get('lid')).toEqual(['plug'])
    expect(found.get('at:board')).toEqual([])
  })
  it('do not hang where steps wait for each other', () => {
    const round = nodesOf({ steps: [step('a', 'cover', ['b']), step('b', 'cover', ['a'])], reaches: [] } as unknown as Schemas['Route'], (place) => place)
    expect([...direct(round).keys()]).toEqual(['a', 'b'])
  })
  it('stand on no other box and within the width, whatever it is', () => {
    for (const width of [300, 700, 1200]) {
      const { placed, height } = layOut(NODES, width)
      for (const one of placed) {
        expect(one.x + BOX).toBeLessThanOrEqual(Math.max(width, BOX + 80))
        expect(one.y + HEIGHT).toBeLessThanOrEqual(height)
        for (const other of placed) {
          if (one === other) continue
          expect(Math.abs(one.x - other.x) >= BOX || Math.abs(one.y - other.y) >= HEIGHT).toBe(true)
        }
      }
    }
  })
  it('have a lead for each that waits', () => {
    expect(leads(layOut(NODES, 900).placed).map((line) => `${line.from} ${line.to}`)).toEqual(['off cover', 'cover plug', 'plug lid', 'lid at:m1', 'plug at:fan'])
  })
})
