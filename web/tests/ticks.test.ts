import { describe, expect, it } from 'vitest'
import type { Schemas } from '../src/api/client'
import { type Tick, doneOf } from '../src/fit/ticks'
import type { Waiting } from '../src/frame/queue'

const order = (done_steps: number, state: Schemas['WorkView']['state'] = 'open'): Schemas['WorkView'] =>
  ({ state, done_steps, work: { steps: Array.from({ length: 5 }) } }) as Schemas['WorkView']
const waiting = (...steps: (number | undefined)[]): Waiting<Partial<Tick>>[] =>
  steps.map((step, number) => ({ id: String(number), kind: 'ticks', tag: 'TW-1', body: step === undefined ? {} : { step } }))

describe('steps done as whoever ticks sees it', () => {
  it.each([
    ['what the server knows', order(2), waiting(), 2],
    ['what is on its way', order(2), waiting(2, 3), 4],
    ['once what the server counts already, though its answer has not come', order(3), waiting(2), 3],
    ['no more than there are', order(4), waiting(4, 5), 5],
    ['nothing that names no step', order(2), waiting(undefined), 2],
    ['nothing on its way to an order that ended', order(5, 'done'), waiting(5), 5],
  ])('counts %s', (_, view, line, done) => {
    expect(doneOf(view, line)).toBe(done)
  })
})
