/** What was typed and not kept yet; it lives on this device. */
export interface Draft {
  trim: string
  entries: Record<string, string>
  started_from: number
}

const draftKey = (tag: string): string => `sortis.draft.${tag}`

export const keptDraft = (tag: string): Draft | null => {
  try {
    return JSON.parse(localStorage.getItem(draftKey(tag)) ?? 'null') as Draft | null
  } catch {
    return null
  }
}
export const keepDraft = (tag: string, draft: Draft): void => localStorage.setItem(draftKey(tag), JSON.stringify(draft))
export const dropDraft = (tag: string): void => localStorage.removeItem(draftKey(tag))
