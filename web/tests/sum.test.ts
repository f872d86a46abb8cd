import { describe, expect, it } from 'vitest'
import type { Schemas } from '../src/api/client'
import { termsOf } from '../src/frame/sum'

const outcome = (more: Partial<Schemas['UnitOutcome']>) =>
  ({ price_cents: 30_000, customer_cents: 0, gives_cents: 500, parts_cents: 4_000, labour_cents: 1_200, fees_cents: 300, ...more }) as Schemas['UnitOutcome']

describe('the sum of a unit', () => {
  it('adds up to what it leaves, also at the price of a customer', () => {
    const total = (one: Schemas['UnitOutcome']): number => termsOf(one).reduce((sum, [, cents]) => sum + cents, 0)
    expect(total(outcome({}))).toBe(25_000)
    expect(total(outcome({ customer_cents: 2_000 }))).toBe(27_000)
    expect(total(outcome({ customer_cents: -2_000 }))).toBe(23_000)
  })
  it('names only what there is, and a customer who pays less', () => {
    expect(termsOf(outcome({ gives_cents: 0, customer_cents: -2_000 })).map(([name]) => name)).toEqual(['price', 'the customer pays less', 'parts', 'labour', 'fees and consumables'])
  })
})
