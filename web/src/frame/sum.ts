import type { Schemas } from '../api/client'

/** The sum of one unit, term by term; together they are what it leaves. */
export const termsOf = (outcome: Schemas['UnitOutcome']): [string, number][] =>
  ([
    ['price', outcome.price_cents],
    [(outcome.customer_cents ?? 0) < 0 ? 'the customer pays less' : 'the customer pays more', outcome.customer_cents ?? 0],
    ['gives to others', outcome.gives_cents],
    ['parts', -outcome.parts_cents],
    ['labour', -outcome.labour_cents],
    ['fees and consumables', -outcome.fees_cents],
  ] satisfies [string, number][]).filter(([, cents]) => cents)
