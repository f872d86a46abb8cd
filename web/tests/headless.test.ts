import { beforeEach, describe, expect, it } from 'vitest'
import { endOf } from '../src/decide/useBalance'
import { money, roundMoney, signed } from '../src/frame/words'
import { dropDraft, keepDraft, keptDraft } from '../src/inspect/drafts'
import { type Column, builtRows, builtWith, nestedRows, put, read, withNested } from '../src/sheets/document'

beforeEach(() => localStorage.clear())

describe('what waits on the device', () => {
  it('keeps a draft until it is dropped', () => {
    const draft = { trim: 'std', entries: { m1: '8' }, started_from: 2 }
    keepDraft('TW-0001', draft)
    expect(keptDraft('TW-0001')).toEqual(draft)
    dropDraft('TW-0001')
    expect(keptDraft('TW-0001')).toBeNull()
  })
  it('reads no draft out of what it did not write', () => {
    localStorage.setItem('sortis.draft.TW-0001', '{not json')
    expect(keptDraft('TW-0001')).toBeNull()
  })
})

describe('figures', () => {
  it('carry the currency they are in', () => {
    expect(money(1230, 'EUR')).toContain('12.30')
    expect(roundMoney(123_456, 'NOK')).toMatch(/NOK|kr/)
    expect(signed(500, 'EUR').startsWith('+')).toBe(true)
    expect(signed(-500, 'EUR').startsWith('+')).toBe(false)
  })
})

describe('how a unit ends', () => {
  it('compares by all that is done to it', () => {
    const row = { end: 'Fit to Desk ready', action_words: ['8 GB into Slot 2'] } as Parameters<typeof endOf>[0]
    expect(endOf(row)).toEqual({ short: 'Fit to Desk ready', whole: 'Fit to Desk ready · 8 GB into Slot 2' })
  })
})

describe('a sheet while it is written', () => {
  it('has what units are built with as rows of one table, and by aspect again', () => {
    const built = [
      { aspect: 'built_panel', usual: 'full', choices: [{ key: 'low', label: 'low' }, { key: 'full', label: 'full' }] },
      { aspect: 'keyboard_light', usual: '', choices: [{ key: 'lit', label: 'lit' }] },
    ] as unknown as Parameters<typeof builtRows>[0]
    const rows = builtRows(built)
    expect(rows.map((row) => [row.aspect, row.key, row.usual])).toEqual([['built_panel', 'low', false], ['built_panel', 'full', true], ['keyboard_light', 'lit', false]])
    expect(builtWith(rows)).toEqual(built)
  })
  const column = (kind: Column['kind'], more: Partial<Column> = {}): Column => ({ field: 'x', heading: 'x', kind, width: 1, ...more })
  it('reads fields as the document holds them', () => {
    expect(read(column('list'), ' a, b ,')).toEqual(['a', 'b'])
    expect(read(column('list', { figures: true }), '2242, 2280, long')).toEqual([2242, 2280, 'long'])
    expect(read(column('number'), '3,5')).toBe(3.5)
    expect(read(column('number', { optional: true }), '')).toBeNull()
    expect(read(column('choice', { optional: true }), '')).toBeNull()
  })
  it('puts one value in and leaves the rest the same', () => {
    const before = { memory: { slots: [{ key: 'm1' }] }, drives: [] }
    const after = put(before, ['memory', 'slots', '0', 'key'], 'm9') as typeof before
    expect(after.memory.slots[0]?.key).toBe('m9')
    expect(after.drives).toBe(before.drives)
    expect(before.memory.slots[0]?.key).toBe('m1')
  })
  it('deals sets back to the steps they belong to', () => {
    const route = { steps: [{ key: 'cover', screws: [{ count: 8 }] }, { key: 'fan' }], reaches: [] }
    const rows = nestedRows(route, 'screws')
    expect(rows).toEqual([{ count: 8, at: 'cover' }])
    const moved = withNested(route, 'screws', [{ count: 8, at: 'fan' }, { count: 2, at: 'nowhere' }]) as typeof route
    expect(moved.steps.map((step) => step.screws?.map((set) => set.count))).toEqual([[2], [8]])
  })
})
