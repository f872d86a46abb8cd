/** What was typed and not kept yet, and what waits to be sent; both live on this device. */
export interface Draft {
  trim: string
  entries: Record<string, string>
  started_from: number
}

export interface Waiting extends Draft {
  tag: string
  enough: boolean
}

const draftKey = (tag: string): string => `sortis.draft.${tag}`
const OUTBOX = 'sortis.outbox'

const read = <T>(key: string, otherwise: T): T => {
  try {
    return (JSON.parse(localStorage.getItem(key) ?? 'null') as T | null) ?? otherwise
  } catch {
    return otherwise
  }
}

export const keptDraft = (tag: string): Draft | null => read<Draft | null>(draftKey(tag), null)
export const keepDraft = (tag: string, draft: Draft): void => localStorage.setItem(draftKey(tag), JSON.stringify(draft))
export const dropDraft = (tag: string): void => localStorage.removeItem(draftKey(tag))

export const outbox = (): Waiting[] => read<Waiting[]>(OUTBOX, [])
export const setOutbox = (waiting: Waiting[]): void => {
  localStorage.setItem(OUTBOX, JSON.stringify(waiting))
  dispatchEvent(new Event('sortis-outbox'))
}
