import { type Schemas, api, ask } from '../api/client'
import type { ListName } from '../api/vocabulary'

let words: Schemas['Vocabulary'] | undefined
let labels = new Map<string, string>()

/** The core's words, fetched once after sign-in; nothing of the job is drawn before. */
export const loadVocabulary = async (): Promise<void> => {
  if (words) return
  words = await ask(api.GET('/api/vocabulary'))
  labels = new Map(words.lists.flatMap((list) => list.words.map((word) => [`${list.name} ${word.code}`, word.label] as const)))
}

const listed = (list: ListName): readonly Schemas['TermWords'][] => words?.lists.find((one) => one.name === list)?.words ?? []

/** What people call a code of a list; the code itself where the list does not know it. */
export const labelOf = (list: ListName, code: string): string => labels.get(`${list} ${code}`) ?? code

/** A label as a heading begins with it. */
export const headingOf = (list: ListName, code: string): string => {
  const label = labelOf(list, code)
  return label.charAt(0).toUpperCase() + label.slice(1)
}

/** Codes and labels of a list, to choose from. */
export const choicesOf = (list: ListName): [string, string][] => listed(list).map((word) => [word.code, word.label])

/** What a word of a list means, where that is not plain. */
export const explained = (list: ListName, code: string): string => listed(list).find((word) => word.code === code)?.explained ?? ''

/** The questions where good people disagree, with the list of their schools. */
export const schoolQuestions = (): readonly Schemas['SchoolQuestion'][] => words?.schools ?? []

/** Words that may be typed into places of a kind. */
export const entryWords = (places: string): readonly Schemas['EntryWord'][] => words?.entries.filter((entry) => entry.places === places) ?? []

/** The usual words of a group of places, for a touch screen. */
export const usualWords = (group: string): readonly string[] => words?.usual.find((one) => one.group === group)?.words ?? []
