import { renderToStaticMarkup } from 'react-dom/server'
import { describe, expect, it } from 'vitest'
import { Mark } from '../src/api/vocabulary'
import { type Cell, Figure, Notches } from '../src/drawings/strip/shapes'

const cell = (more: Partial<Cell>): Cell => ({ mark: Mark.GOOD, fill: 0.8, notches: [], ...more }) as unknown as Cell
const box = (width: number) => ({ x: 0, y: 0, width, height: 40 })
const inks = (drawn: string): string[] => [...drawn.matchAll(/fill="(var\(--\w+\))"/g)].map((found) => found[1] ?? '')

describe('the figure of a place', () => {
  it('lies wholly in one side of the fill, smaller where there is less room; where there is none, over both', () => {
    const drawn = (fill: number, width: number): string[] => inks(renderToStaticMarkup(<Figure {...box(width)} cell={cell({ fill })} said="83 %" size={24} />))
    expect(drawn(0.8, 200)).toEqual(['var(--sheet)'])
    expect(drawn(0.1, 200)).toEqual(['var(--ink)'])
    expect(drawn(0.55, 80)).toEqual(['var(--sheet)'])
    expect(drawn(0.45, 80)).toEqual(['var(--ink)'])
    expect(drawn(0.55, 50)).toEqual(['var(--sheet)', 'var(--ink)'])
    const size = /font-size="([\d.]+)"/.exec(renderToStaticMarkup(<Figure {...box(80)} cell={cell({ fill: 0.55 })} said="83 %" size={24} />))
    expect(Number(size?.[1])).toBeGreaterThanOrEqual(16)
    expect(Number(size?.[1])).toBeLessThan(20)
    expect(drawn(1, 80)).toEqual(['var(--sheet)'])
  })
  it('is ink where nothing is filled', () => {
    expect(inks(renderToStaticMarkup(<Figure {...box(80)} cell={cell({ mark: Mark.MISSING })} said="?" size={24} />))).toEqual(['var(--ink)'])
  })
})

describe('letters of gates', () => {
  it('stand beside the line of one that went to the second row', () => {
    const notches = [{ at: 0.5, letters: 'C', words: '' }, { at: 0.56, letters: 'D', words: '' }, { at: 0.6, letters: 'F', words: '' }]
    const drawn = renderToStaticMarkup(<Notches {...box(100)} cell={cell({ notches } as Partial<Cell>)} size={7} lettered />)
    const lines = [...drawn.matchAll(/<line x1="([\d.]+)"/g)].map((found) => Number(found[1]))
    const letters = [...drawn.matchAll(/<text x="([\d.]+)"[^>]*>(\w)/g)].map((found) => [found[2], Number(found[1])])
    expect(lines).toHaveLength(1)
    const [line = 0] = lines
    expect(letters.map(([letter]) => letter)).toEqual(['C', 'D', 'F'])
    for (const [letter, at] of letters) {
      if (letter !== 'D') expect(Math.abs(Number(at) - line)).toBeGreaterThan(8.9)
    }
  })
})
