import { api, ask } from '../api/client'
import { didAtOnce } from '../frame/Undo'

/**
 * Runs a call that changes the store; the lists that show it are read anew. False where it was refused.
 * With words it can be taken back by one key: what the call answers names the act.
 */
export type Change = (call: Promise<unknown>, words?: string) => Promise<boolean>

const actOf = (done: unknown): number | null => ((Array.isArray(done) ? done[0] : done) as { act?: number | null } | undefined)?.act ?? null

/** Says what was done in the store with one key, and how it is taken back. */
export function doneInStore(words: string, done: unknown, refresh: () => void): void {
  const act = actOf(done)
  if (act === null) return
  didAtOnce(words, async () => {
    const back = await ask(api.POST('/api/stock/acts/{act}/back', { params: { path: { act } } }))
    refresh()
    return `Taken back: ${back.words}.`
  })
}
