import { begunAt, isFields, isText, keepBegun } from '../frame/begun'

/** What was typed and not kept yet; it lives on this device. */
export interface Draft {
  trim: string
  entries: Record<string, string>
  started_from: number
}

const isDraft = (kept: unknown): kept is Draft =>
  isFields(kept) && isText(kept.trim) && typeof kept.started_from === 'number' && isFields(kept.entries) && Object.values(kept.entries).every(isText)

const placeOf = (tag: string): string => `inspection.${tag}`

export const keptDraft = (tag: string): Draft | null => begunAt(placeOf(tag), isDraft)
export const keepDraft = (tag: string, draft: Draft): void => keepBegun(placeOf(tag), draft)
export const dropDraft = (tag: string): void => keepBegun(placeOf(tag), null)
