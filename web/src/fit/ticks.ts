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
