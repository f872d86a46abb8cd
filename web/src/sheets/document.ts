import type { Schemas } from '../api/client'
import { Aspect, Connector, Depth, FactSource, Interface, type ListName, PryStart, Stream, Tool } from '../api/vocabulary'

export type Sheet = Schemas['ModelSheet']
type Json = Record<string, unknown>

/** What people call a place of this sheet. */
export const labelIn = (sheet: Sheet, key: string): string => {
  const places: { key: string; label: string }[] = [...sheet.memory.slots, ...sheet.drives, ...sheet.packs, ...sheet.parts, ...sheet.tests]
  return places.find((place) => place.key === key)?.label ?? (key === sheet.memory.soldered?.key ? 'soldered memory' : key)
}

/** How a field of a table in the editor is written and read. */
export interface Column {
  field: string
  heading: string
  kind: 'text' | 'number' | 'list' | 'flag' | 'choice'
  width: number
  /** The list of words to choose from. */
  words?: ListName
  /** Left empty it is null, not nothing. */
  optional?: boolean
  /** Figures in a list. */
  figures?: boolean
}

const text = (field: string, heading: string, width = 9): Column => ({ field, heading, kind: 'text', width })
const number = (field: string, heading: string, width = 5, optional = false): Column => ({ field, heading, kind: 'number', width, optional })
const list = (field: string, heading: string, width = 8, figures = false): Column => ({ field, heading, kind: 'list', width, figures })
const choice = (field: string, heading: string, words: ListName, width = 7, optional = false): Column => ({ field, heading, kind: 'choice', width, words, optional })
const flag = (field: string, heading: string): Column => ({ field, heading, kind: 'flag', width: 3 })

/** The tables of the editor: where their rows stand in the document, and their columns. */
export const TABLES: { path: string[]; heading: string; blank: Record<string, unknown>; columns: Column[] }[] = [
  { path: ['trims'], heading: 'Trims', blank: { key: '', label: '' }, columns: [text('key', 'key', 6), text('label', 'what it is called', 16)] },
  { path: ['memory', 'slots'], heading: 'Memory slots', blank: { key: '', label: '', limit_gb: 16, channel: 'A' }, columns: [text('key', 'key', 4), text('label', 'label'), number('limit_gb', 'up to GB'), text('channel', 'channel', 4)] },
  { path: ['drives'], heading: 'Bays and sockets', blank: { key: '', label: '', connector: Connector.M2, interfaces: [Interface.NVME], lengths_mm: [2280], limit_gb: 1000, source: FactSource.GUESS }, columns: [text('key', 'key', 4), text('label', 'label', 11), choice('connector', 'kind', 'Connector'), list('interfaces', 'speaks', 8), list('lengths_mm', 'standoffs', 8, true), number('height_mm', 'mm high', 4, true), number('limit_gb', 'up to GB'), number('pcie_generation', 'gen.', 3, true), flag('single_sided_only', 'one side'), flag('shared_with_radio', 'radio'), list('trims', 'only trims', 6), choice('source', 'source', 'FactSource')] },
  { path: ['parts'], heading: 'Required parts', blank: { key: '', label: '', kind: '' }, columns: [text('key', 'key', 7), text('label', 'label', 10), text('kind', 'part kind', 11), text('only_with_drive_in', 'only with', 5), list('goes_with', 'goes with', 8), list('trims', 'only trims', 7)] },
  { path: ['tests'], heading: 'Function tests', blank: { key: '', label: '' }, columns: [text('key', 'key', 7), text('label', 'label', 10), text('attempt.words', 'tried first', 13), number('attempt.minutes', 'min', 3, true), text('repair.kind', 'repair part', 11), list('trims', 'only trims', 7)] },
  { path: ['route', 'steps'], heading: 'Steps of the route', blank: { key: '', title: '', how: '', depth: Depth.COVER, minutes_out: 1, minutes_back: 0 }, columns: [text('key', 'key', 8), text('title', 'title', 12), text('how', 'how', 18), choice('depth', 'depth', 'Depth', 5), list('after', 'after', 9), list('either', 'and one of', 8), choice('tool', 'tool', 'Tool', 8), number('minutes_out', 'min out', 4), text('back_title', 'way back', 9), text('back_how', 'how back', 12), number('minutes_back', 'min back', 4), choice('connector', 'connector', 'CableJoint', 6, true), list('cautions', 'cautions', 8), list('back_cautions', 'cautions back', 7), list('breaks', 'breaks', 8), list('trims', 'only trims', 5), text('only_with', 'only with', 6), text('only_without', 'only without', 6), flag('isolates', 'isolates'), flag('back_only', 'back only'), flag('firmware', 'firmware'), flag('over_pack', 'over pack')] },
  { path: ['route', 'reaches'], heading: 'How places are reached', blank: { place: '', after: [], minutes_in: 1 }, columns: [text('place', 'place', 7), list('after', 'after', 9), list('either', 'and one of', 8), text('carried_by', 'comes out with', 8), text('take_out', 'take out', 12), text('put_in', 'put in', 12), choice('tool', 'tool', 'Tool', 8), number('minutes_out', 'min out', 4), number('minutes_in', 'min in', 4), list('cautions', 'cautions', 8), flag('over_pack', 'over pack')] },
  { path: ['boards'], heading: 'Boards', blank: { key: '', label: '', soldered_gb: 0, kind: '' }, columns: [text('key', 'key', 6), text('label', 'label', 12), number('soldered_gb', 'soldered GB'), text('processor', 'processor on it', 8), text('kind', 'part kind', 11)] },
  { path: ['weights'], heading: 'Weights for the recycler', blank: { stream: Stream.PLASTIC, grams: 100 }, columns: [choice('stream', 'stream', 'Stream', 12), number('grams', 'grams')] },
  { path: ['draw'], heading: 'Typical draw', blank: { use: '', watts: 8 }, columns: [text('use', 'use', 10), number('watts', 'watts')] },
]

/** What units differ in from the maker: a row each choice, with the aspect it belongs to. */
export const BUILT = {
  heading: 'Built with',
  blank: { aspect: Aspect.PROCESSOR, key: '', label: '' },
  columns: [choice('aspect', 'in what', 'Aspect', 9), text('key', 'typed as', 6), text('label', 'what it is called', 12), flag('usual', 'usual'), text('kind', 'part kind', 11), text('place', 'goes to', 8), list('with_kinds', 'brings along', 9), list('read_as', 'calls itself', 9), list('trims', 'only trims', 7)],
}

/** The choices of all aspects as rows of one table. */
export const builtRows = (built: Schemas['BuiltWith'][] | undefined): Json[] =>
  (built ?? []).flatMap((one) => one.choices.map((each) => ({ aspect: one.aspect, ...each, usual: each.key !== '' && each.key === one.usual })))

/** The rows of the table by aspect again; of several that are marked usual the first is. */
export const builtWith = (rows: Json[]): Json[] =>
  [...new Set(rows.map((row) => row.aspect))].map((aspect) => {
    const own = rows.filter((row) => row.aspect === aspect)
    return { aspect, usual: own.find((row) => row.usual)?.key ?? '', choices: own.map(({ aspect: _, usual: __, ...each }) => each) }
  })

/** Sets that belong to steps or places of the route; each kind stands in one table, a row with where it belongs. */
export const NESTED: { field: 'screws' | 'pries' | 'hands_over'; heading: string; blank: Json; columns: Column[] }[] = [
  { field: 'screws', heading: 'Screws', blank: { count: 1, drive: Tool.PH1, length_mm: 4 }, columns: [text('at', 'step or place', 10), number('count', 'count', 4), text('drive', 'drive', 10), number('length_mm', 'mm', 4), text('where', 'where', 9), flag('captive', 'captive'), flag('numbered', 'numbered')] },
  { field: 'pries', heading: 'Where prying begins', blank: { start: PryStart.HINGE, how: '' }, columns: [text('at', 'step', 10), choice('start', 'begin at', 'PryStart', 12), text('how', 'how', 24)] },
  { field: 'hands_over', heading: 'What moves to the part that goes in', blank: { what: '', place: '' }, columns: [text('at', 'place that is exchanged', 10), text('place', 'place that moves', 8), text('what', 'or what', 10), text('how', 'how', 20), number('minutes', 'min', 4)] },
]
type NestedField = (typeof NESTED)[number]['field']

type Owner = Partial<Record<NestedField, unknown[]>> & { key?: string; place?: string }
interface Owners { steps?: Owner[]; reaches?: Owner[] }

/** Only steps are pried; only what is exchanged hands over. */
const owners = (route: Owners | undefined, field: NestedField): Owner[] => [
  ...(field === 'hands_over' ? [] : (route?.steps ?? [])),
  ...(field === 'pries' ? [] : (route?.reaches ?? [])),
]

/** All sets of a kind with the step or place they belong to. */
export const nestedRows = (route: Owners | undefined, field: NestedField): Json[] =>
  owners(route, field).flatMap((owner) => (owner[field] ?? []).map((set) => ({ ...(set as Json), at: owner.key ?? owner.place ?? '' })))

/** The route with its sets as the table has them; those of an unknown step stay with the first one. */
export const withNested = (route: Json, field: NestedField, rows: Json[]): Json => {
  const all = owners(route as Owners, field)
  const names = new Set(all.map((owner) => owner.key ?? owner.place))
  const first = all[0]?.key ?? all[0]?.place
  const of = (name: string | undefined): Json[] => rows.filter((row) => (names.has(row.at as string) ? row.at : first) === name).map(({ at: _, ...set }) => set)
  const dealt = (list_: Owner[]): Owner[] => list_.map((owner) => (all.includes(owner) ? { ...owner, [field]: of(owner.key ?? owner.place) } : owner))
  return { ...route, steps: dealt((route as Owners).steps ?? []), reaches: dealt((route as Owners).reaches ?? []) }
}

export const at = (document: unknown, path: string[]): unknown => path.reduce<unknown>((here, step) => (here as Json | undefined)?.[step], document)

/** The document with one value put in; everything beside the path stays the same object. */
export const put = (document: unknown, path: string[], value: unknown): unknown => {
  const [step, ...rest] = path
  if (step === undefined) return value
  if (Array.isArray(document)) return document.map((item, index) => (String(index) === step ? put(item, rest, value) : item))
  return { ...(document as Json), [step]: put((document as Json | undefined)?.[step] ?? {}, rest, value) }
}

export const written = (column: Column, row: unknown): string => {
  const value = at(row, column.field.split('.'))
  if (Array.isArray(value)) return value.join(', ')
  return value === null || value === undefined ? '' : String(value)
}

/** What was typed into a field, as the document holds it. */
export const read = (column: Column, typed: string): unknown => {
  const words = typed.split(',').map((word) => word.trim()).filter(Boolean)
  if (column.kind === 'list') return column.figures ? words.map((word) => (Number.isFinite(Number(word)) ? Number(word) : word)) : words
  if (column.kind === 'choice' && column.optional && typed === '') return null
  if (column.kind === 'number') return typed.trim() === '' ? (column.optional ? null : typed) : Number.isFinite(Number(typed.replace(',', '.'))) ? Number(typed.replace(',', '.')) : typed
  return typed
}
