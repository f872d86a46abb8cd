import type { QueryClient } from '@tanstack/react-query'
import { type Schemas, api, ask } from '../api/client'
import { OrderState } from '../api/vocabulary'
import type { Sender, Waiting } from '../frame/queue'
import { shows } from '../frame/shows'

export const TICK = 'ticks'

export interface Tick {
  token: string
  /** What the screen measured for the step. */
  seconds: number | null
  /** How many steps were done, and on their way, when it was pressed. */
  step: number
}

/**
 * Steps done as whoever ticks sees it. Each tick names its step: one that the server already counts,
 * though its answer is still on its way, is not counted twice.
 */
export const doneOf = (view: Schemas['WorkView'], waiting: readonly Waiting<Partial<Tick>>[]): number => {
  if (view.state !== OrderState.OPEN) return view.done_steps
  const steps = waiting.map(({ body }) => (Number.isInteger(body.step) ? Number(body.step) + 1 : 0))
  return Math.min(view.work.steps.length, Math.max(view.done_steps, ...steps))
}

export const workQuery = (tag: string) => ({
  queryKey: ['work', tag],
  queryFn: () => ask(api.GET('/api/units/{tag}/work', { params: { path: { tag } } })),
})

/** What the server says an order is now, for every screen that shows it. */
export const takeWork = (queries: QueryClient, now: Schemas['WorkView']): void => {
  shows(queries, workQuery(now.tag).queryKey, now)
  if (now.state !== OrderState.OPEN) void queries.invalidateQueries()
  else void queries.invalidateQueries({ queryKey: ['orders', now.batch] })
}

export const tickSender =
  (queries: QueryClient): Sender =>
  async ({ tag, body }: Waiting) => {
    const { version } = await queries.ensureQueryData(workQuery(tag))
    const now = await ask(api.POST('/api/units/{tag}/work/tick', { params: { path: { tag } }, body: { version, ...(body as Tick) } }))
    return () => takeWork(queries, now)
  }
