import { describe, expect, it } from 'vitest'
import type { Schemas } from '../src/api/client'
import { Mark, StripGroup } from '../src/api/vocabulary'
import { type Stroke, placesOf, shown, struck } from '../src/drawings/strip/form'

type Cell = Schemas['StripCell']
const cell = (key: string, group: Cell['group'], label = key, mark: Cell['mark'] = Mark.UNSEEN): Cell => ({ key, group, label, mark, figure: '', unit: '', words: '', length: 1, bay: false, fill: null, notches: [], accepts: [] })
const CELLS = [
  cell('grade', StripGroup.GRADE),
  cell('m1', StripGroup.MEMORY),
  cell('m2', StripGroup.MEMORY),
  cell('d1', StripGroup.DRIVE),
  cell('p1', StripGroup.PACK),
  cell('feet', StripGroup.PART, 'Feet'),
  cell('fan', StripGroup.PART, 'Fan cover'),
  cell('camera', StripGroup.TEST, 'Camera'),
  cell('keyboard_language', StripGroup.CONFIGURATION),
]
const press = (key: string, more: Partial<Stroke> = {}): Stroke => ({ key, ctrl: false, shift: false, alt: false, meta: false, atStart: true, atEnd: true, ...more })
const at = (key: string, entries: Record<string, string> = {}, like: Record<string, string> = {}) => {
  const places = placesOf(CELLS, entries, like)
  const index = places.findIndex((place) => place.key === key)
  return (stroke: Stroke) => {
    const move = struck(places, index, stroke)
    return move && 'to' in move ? { ...move, to: places[move.to]?.key } : move
  }
}

describe('the strip as a form', () => {
  it('walks places left to right, whatever their order in the answer', () => {
    expect(placesOf(CELLS, {}, {}).map((place) => place.key)).toEqual(['m1', 'm2', 'd1', 'p1', 'feet', 'fan', 'camera', 'grade', 'keyboard_language'])
  })
  it('shows a part that is there without a word typed, and never a grade', () => {
    expect(shown(cell('feet', StripGroup.PART, 'Feet', Mark.GOOD), {})).toBe('+')
    expect(shown(cell('grade', StripGroup.GRADE, 'Grade', Mark.GOOD), {})).toBe('')
    expect(shown(cell('feet', StripGroup.PART, 'Feet', Mark.GOOD), { feet: '-' })).toBe('-')
  })
  it('goes with the arrows, and stays within the form', () => {
    expect(at('m1')(press('ArrowRight'))).toEqual({ does: 'go', to: 'm2' })
    expect(at('m1')(press('ArrowLeft'))).toEqual({ does: 'go', to: 'm1' })
    expect(at('keyboard_language')(press('ArrowDown'))).toEqual({ does: 'go', to: 'keyboard_language' })
    expect(at('m1', { m1: '16' })(press('ArrowRight', { atEnd: false }))).toBeNull()
  })
  it('takes over with a key, and goes on at a place that the other units have, too', () => {
    const taken = (stays?: string[]) => {
      const places = placesOf(CELLS, {}, { m1: '8', m2: '8' }, stays)
      const move = struck(places, 0, press('='))
      return move && 'to' in move ? places[move.to]?.key : null
    }
    expect(taken()).toBe('d1')
    expect(taken(['m1', 'm2', 'p1'])).toBe('p1')
  })
  it('goes on to the next place nobody looked at, and keeps when there is none', () => {
    expect(at('m1', { m1: '8', m2: '8' })(press('Enter'))).toEqual({ does: 'go', to: 'd1' })
    const all = Object.fromEntries(CELLS.map((one) => [one.key, '8']))
    expect(at('m1', all)(press('Enter'))).toEqual({ does: 'keep', enough: false })
    expect(at('m1', all)(press('Enter', { shift: true }))).toEqual({ does: 'keep', enough: true })
  })
  it('takes a tag in a place for a scan', () => {
    for (const tag of ['TW-0412', 'tw412', 'H-301', 'A-0004711']) {
      expect(at('m1', { m1: tag })(press('Enter'))).toEqual({ does: 'scan', tag })
    }
    for (const drive of ['h500', 's128', 'n1000']) expect(at('d1', { d1: drive })(press('Enter'))).toMatchObject({ does: 'go' })
  })
  it('takes over what most units held by one key alone, never by the key that means next', () => {
    const like = { m1: '8', m2: '-', d1: 'n256' }
    expect(at('m1', {}, like)(press('Enter'))).toEqual({ does: 'go', to: 'm2' })
    expect(at('m1', {}, like)(press('='))).toEqual({ does: 'same', to: 'p1' })
    expect(at('m1')(press('='))).toBeNull()
  })
  it('fills pegs with one key and jumps among them by letter', () => {
    expect(at('feet')(press('x'))).toEqual({ does: 'type', text: 'x', to: 'fan' })
    expect(at('feet')(press('f'))).toEqual({ does: 'go', to: 'fan' })
    expect(at('fan')(press('f'))).toEqual({ does: 'go', to: 'feet' })
    expect(at('fan')(press('q'))).toEqual({ does: 'go', to: 'fan' })
    expect(at('feet')(press('a'))).toEqual({ does: 'rest', to: 'grade' })
    expect(at('grade')(press('a'))).toEqual({ does: 'type', text: 'a', to: 'grade' })
  })
  it('leaves letters to places that take words', () => {
    expect(at('d1')(press('n'))).toBeNull()
    expect(at('keyboard_language')(press('d'))).toBeNull()
  })
  it('tells danger everywhere but in a pack, which takes the sign itself', () => {
    expect(at('m1')(press('!'))).toEqual({ does: 'warn' })
    expect(at('camera')(press('!'))).toEqual({ does: 'warn' })
    expect(at('p1')(press('!'))).toBeNull()
  })
  it('leaves combinations to the application', () => {
    expect(at('feet')(press('z', { ctrl: true }))).toBeNull()
    expect(at('feet')(press('o', { alt: true }))).toBeNull()
  })
  it('writes how a test works poorly and lets no letter of it jump, fill or warn', () => {
    expect(at('camera')(press(','))).toEqual({ does: 'type', text: 'p ', to: 'camera' })
    const writing = at('camera', { camera: 'p di' })
    for (const key of ['a', 'x', '-', '!', ';', '=', 'm']) expect(writing(press(key))).toBeNull()
    expect(writing(press('Enter'))).toEqual({ does: 'go', to: 'grade' })
  })
})
