import type { Schemas } from '../../api/client'
import { Mark, StripGroup } from '../../api/vocabulary'

/** The strip as a form, apart from how it is drawn: which places there are, what a key does. */
type Cell = Schemas['StripCell']

export interface Place {
  key: string
  group: Cell['group']
  label: string
  /** What stands in its field. */
  value: string
  /** What most units of the model held there; empty where that is not known. */
  like: string
  /** Still there once the other units' trim is taken over. */
  stays: boolean
  /** Nothing hangs on it: Enter passes it by. */
  idle: boolean
}

export interface Stroke {
  key: string
  ctrl: boolean
  shift: boolean
  alt: boolean
  meta: boolean
  /** The caret is before the first, or behind the last letter of the field. */
  atStart: boolean
  atEnd: boolean
}

/** What a key does; `to` is the number of the place that has the focus afterwards. */
export type Move =
  | { does: 'leave' }
  | { does: 'keep'; enough: boolean }
  | { does: 'scan'; tag: string }
  | { does: 'type'; text: string; to: number }
  | { does: 'go'; to: number }
  | { does: 'same'; to: number }
  | { does: 'rest'; to: number }
  | { does: 'line' }
  | { does: 'warn' }

/** A tag that was typed where a finding goes; one letter and figures alone are a drive. */
const TAG = /^([a-z]{2,4}-?|[a-z]-)\d{3,7}$/i
/** What a part or test is said to be that works, but poorly; how comes after it. */
const POORLY = 'p '
/** Words that are whole as they are: the next place has the focus at once. */
const ALONE: readonly string[] = ['-', 'x', '?']
const PEGS: readonly Cell['group'][] = [StripGroup.PART, StripGroup.TEST, StripGroup.GRADE]
export const LARGE: readonly Cell['group'][] = [StripGroup.MEMORY, StripGroup.DRIVE, StripGroup.PACK]
export const SMALL: readonly Cell['group'][] = [StripGroup.PART, StripGroup.TEST, StripGroup.GRADE, StripGroup.CONFIGURATION, StripGroup.NOTED]

/** Places that one key fills. */
export const isPeg = (group: Cell['group']): boolean => PEGS.includes(group)
/** Pegs that the rest key fills, and that a letter jumps to. */
const isListed = (group: Cell['group']): boolean => isPeg(group) && group !== StripGroup.GRADE

/** A peg whose field is being written into: how it works poorly. */
export const isWritten = (group: Cell['group'], value: string): boolean => isListed(group) && value.startsWith(POORLY)

/** What a field shows: what was typed, or that a part or a test is as it should be. */
export const shown = (cell: Cell, entries: Record<string, string>): string =>
  entries[cell.key] || (isListed(cell.group) && cell.mark === Mark.GOOD ? '+' : '')

/** All places in the order that the keys walk them. */
export const placesOf = (cells: readonly Cell[], entries: Record<string, string>, like: Record<string, string>, stays: readonly string[] = cells.map((cell) => cell.key)): Place[] =>
  [...LARGE, ...SMALL].flatMap((group) =>
    cells.filter((cell) => cell.group === group).map((cell) => ({ key: cell.key, group, label: cell.label, value: shown(cell, entries), like: like[cell.key] ?? '', stays: stays.includes(cell.key), idle: cell.mark === Mark.NOT_NEEDED })),
  )

export const goesOn = (text: string): boolean => ALONE.includes(text)

const isOpen = (place: Place): boolean => (!place.value && !place.idle) || place.value === '?'

/** What the keys of the strip do, for people; `struck` does it. */
export const STRIP_KEYS: readonly { key: string; does: string }[] = [
  { key: 'Enter', does: 'go on to the next place nobody looked at; where none is left, keep' },
  { key: 'ArrowRight', does: 'next place' },
  { key: 'ArrowLeft', does: 'place before' },
  { key: 'a', does: 'in parts and tests: all the rest is as it should be' },
  { key: ',', does: 'in parts and tests: works poorly, and how' },
  { key: 'Ctrl Enter', does: 'keep, and on to the next unit' },
  { key: '⇧ Enter', does: 'keep: enough was seen' },
  { key: '!', does: 'danger' },
]

/** The next place nobody looked at, behind `at`; none where all are filled. */
const nextOpen = (places: readonly Place[], at: number): number => places.findIndex((place, index) => index > at && isOpen(place))

const within = (places: readonly Place[], to: number): number => Math.min(Math.max(to, 0), places.length - 1)

/** What a key does in the place `at`; null where the field itself takes it. */
export function struck(places: readonly Place[], at: number, stroke: Stroke): Move | null {
  const place = places[at]
  if (!place) return null
  const peg = isPeg(place.group) && !isWritten(place.group, place.value)
  const plain = stroke.key.length === 1 && !stroke.ctrl && !stroke.meta && !stroke.alt
  if (stroke.key === 'Enter') return entered(places, at, stroke)
  if (stroke.key === 'ArrowDown' || (stroke.key === 'ArrowRight' && (peg || stroke.atEnd))) return { does: 'go', to: within(places, at + 1) }
  if (stroke.key === 'ArrowUp' || (stroke.key === 'ArrowLeft' && (peg || stroke.atStart))) return { does: 'go', to: within(places, at - 1) }
  if (stroke.key === 'Escape') return { does: 'leave' }
  if (!plain || isWritten(place.group, place.value)) return null
  if (stroke.key === '=' && places.some((one) => one.like)) {
    // What the other units could not know is looked at next: packs, tests, grade.
    const open = places.findIndex((one) => !one.value && !one.like && one.stays)
    return { does: 'same', to: open < 0 ? at : open }
  }
  if (stroke.key === ';') return { does: 'line' }
  if (stroke.key === '!' && place.group !== StripGroup.PACK) return { does: 'warn' }
  if (!peg) return null
  const letter = stroke.key.toLowerCase()
  if (isListed(place.group)) {
    if (letter === ',') return { does: 'type', text: POORLY, to: at }
    if (letter === 'a') return { does: 'rest', to: places.findIndex((one) => one.group === StripGroup.GRADE) }
    if (/^[b-wyz]$/.test(letter)) return jump(places, at, letter)
  }
  return { does: 'type', text: stroke.key, to: place.group === StripGroup.GRADE ? at : within(places, at + 1) }
}

function entered(places: readonly Place[], at: number, stroke: Stroke): Move {
  const place = places[at] as Place
  if (TAG.test(place.value)) return { does: 'scan', tag: place.value }
  if (stroke.ctrl || stroke.shift) return { does: 'keep', enough: stroke.shift }
  const open = nextOpen(places, at)
  return open < 0 ? { does: 'keep', enough: false } : { does: 'go', to: open }
}

/** The next part or test that begins with the letter, round and round; stays where none does. */
function jump(places: readonly Place[], at: number, letter: string): Move {
  const pegs = places.map((place, index) => ({ place, index })).filter(({ place }) => isPeg(place.group))
  const after = [...pegs.filter(({ index }) => index > at), ...pegs.filter(({ index }) => index < at)]
  const found = after.find(({ place }) => place.label.toLowerCase().startsWith(letter))
  return { does: 'go', to: found?.index ?? at }
}
