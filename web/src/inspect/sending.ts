import type { QueryClient } from '@tanstack/react-query'
import { api, ask } from '../api/client'
import type { Sender, Waiting } from '../frame/queue'
import { type Draft, dropDraft } from './drafts'

export const INSPECTION = 'inspections'

/** An inspection as its inspector kept it. */
export interface Kept extends Draft {
  enough: boolean
}

export const sendInspection = (tag: string, body: Kept) =>
  ask(api.POST('/api/units/{tag}/inspection', { params: { path: { tag } }, body }))

export const inspectionSender =
  (queries: QueryClient): Sender =>
  async ({ tag, body }: Waiting) => {
    await sendInspection(tag, body as Kept)
    return () => {
      dropDraft(tag)
      void queries.invalidateQueries()
    }
  }
