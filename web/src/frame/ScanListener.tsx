import { useEffect, useRef, useState, useSyncExternalStore } from 'react'
import { flushSync } from 'react-dom'
import { useNavigate } from 'react-router'
import { api, ask, problemOf } from '../api/client'
import { CodeKind } from '../api/vocabulary'
import { placeOf } from './Stages'
import { GAP_MS, type Key, isEntry, isScan, mayBegin, readings } from './scan'

/** Takes a code, by all its readings; false where it is none of the screen's. */
type Taker = (codes: string[]) => boolean | Promise<boolean>

/** The screens that take codes, the one opened last first. */
const takers: Taker[] = []
/** What a screen puts back when a scan was typed into it; asked before the first letter acts. */
const keepers = new Set<() => () => void>()

/** Codes come here while this screen is open; what it does not take is looked up. */
export function useScan(take: Taker): void {
  const current = useRef(take)
  current.current = take
  useEffect(() => {
    const mine: Taker = (codes) => current.current(codes)
    takers.unshift(mine)
    return () => { takers.splice(takers.indexOf(mine), 1) }
  }, [])
}

/** Remember what a scan could change here: `keep` answers with how it is put back. */
export function useScanKeeper(keep: () => () => void): void {
  const current = useRef(keep)
  current.current = keep
  useEffect(() => {
    const mine = (): (() => void) => current.current()
    keepers.add(mine)
    return () => { keepers.delete(mine) }
  }, [])
}

interface Said { code: string; words: string; last: string }
let said: Said = { code: '', words: '', last: '' }
const listeners = new Set<() => void>()
const say = (next: Said): void => {
  said = next
  for (const tell of listeners) tell()
}

/** What was scanned last, and why it led nowhere where it did not. */
export const useScanned = (): Said =>
  useSyncExternalStore((tell) => { listeners.add(tell); return () => listeners.delete(tell) }, () => said)

/** Where a code leads; answers with the refusal, empty when it went. */
export function useCode(): (codes: string[]) => Promise<string> {
  const navigate = useNavigate()
  return async (codes) => {
    try {
      const found = await ask(api.GET('/api/codes', { params: { query: { codes } } }))
      switch (found.kind) {
        case CodeKind.UNIT:
          if (found.batch && found.stage) navigate(placeOf(found.batch, found.stage, found.code))
          return ''
        case CodeKind.LOT:
        case CodeKind.PLACE:
          navigate(`/stock?filter=${encodeURIComponent(found.code)}`)
          return ''
        case CodeKind.WORD:
        case CodeKind.PERSON:
          return found.words
      }
    } catch (error) {
      return problemOf(error).detail
    }
  }
}

/** A page that tells of its timers later than this was busy. */
const LATE_MS = 20
const replayed = new WeakSet<Event>()
type Field = HTMLInputElement | HTMLTextAreaElement

const textField = (target: EventTarget | null): Field | null =>
  target instanceof HTMLTextAreaElement || (target instanceof HTMLInputElement && !['button', 'submit', 'checkbox', 'radio', 'range', 'file'].includes(target.type)) ? target : null
/** A field for words, in which an unknown code may stay; a figure or a date is never one. */
const takesWords = (field: Field): boolean => field instanceof HTMLTextAreaElement || ['text', 'search'].includes(field.type)
/** Nobody writes letters into a field for figures. */
const takesFigures = (field: Field): boolean => ['number', 'date', 'time'].includes(field.type)
const NO_FIGURE = /[^\d.,eE+\-/: ]/
/** A place of the strip, whose keys act; the screen keeps what it held. */
const isPlace = (field: Field): boolean => field.dataset.place !== undefined
/** Keys of a place that act beyond the strip. */
const ACTS = new Set(['!'])

const putBack = (field: Field, value: string): void => {
  if (!field.isConnected || field.value === value) return
  const proto = field instanceof HTMLTextAreaElement ? HTMLTextAreaElement.prototype : HTMLInputElement.prototype
  Object.getOwnPropertyDescriptor(proto, 'value')?.set?.call(field, value)
  field.dispatchEvent(new Event('input', { bubbles: true }))
}

/** A list goes to the choice whose first letters were typed, as it does by itself. */
const pick = (list: HTMLSelectElement, typed: string): void => {
  const found = [...list.options].find((one) => !one.disabled && one.text.toLowerCase().startsWith(typed.toLowerCase()))
  if (!found || found.selected) return
  list.value = found.value
  list.dispatchEvent(new Event('change', { bubbles: true }))
}

interface Stroke extends Key { event: KeyboardEvent; target: EventTarget | null; held: boolean }
/** What began together, and what puts back all that it changes. */
interface Beginning { strokes: Stroke[]; before: (() => void)[]; typed: Map<Field, string>; focused: Element | null }

/** One listener for the whole application; see `scan.ts` for how a scan is told from typing. */
export function ScanListener() {
  const code = useCode()
  const [strokes] = useState<Stroke[]>([])
  const now = useRef({ code })
  now.current = { code }
  useEffect(() => {
    let timer: ReturnType<typeof setTimeout> | undefined
    let before: (() => void)[] = []
    let typed = new Map<Field, string>()
    let focused: Element | null = null
    /** Taken for a person's, until a key that was pressed right after it is told of late. */
    let letGo: Beginning | undefined
    const clear = (): Stroke[] => {
      clearTimeout(timer)
      const all = strokes.splice(0)
      before = []
      typed = new Map()
      return all
    }
    /** It was a person: what was held back acts now. */
    const release = (): void => {
      const all = clear()
      const list = all[0]?.target
      if (list instanceof HTMLSelectElement) {
        pick(list, all.map(({ key }) => key).join(''))
        return
      }
      for (const [number, { event, target: first, held }] of all.entries()) {
        if (!held) continue
        // What came after the first goes where that one led.
        const target = (number === 0 && first) || document.activeElement || document.body
        const again = new KeyboardEvent('keydown', { key: event.key, code: event.code, shiftKey: event.shiftKey, bubbles: true, cancelable: true })
        replayed.add(again)
        let free = true
        flushSync(() => { free = target.dispatchEvent(again) })
        // What no key table answers is written, as it would have been by itself.
        const field = textField(target)
        if (free && field) flushSync(() => putBack(field, field.value + event.key))
      }
    }
    const take = async (codes: string[], field: Field | null, restore: () => void): Promise<void> => {
      const free = field && takesWords(field) && !isPlace(field) && field.dataset.codes === undefined
      if (!free) restore()
      for (const taker of [...takers]) {
        if (await taker(codes)) {
          if (free) restore()
          say({ code: '', words: '', last: codes[0] ?? '' })
          return
        }
      }
      // What nobody knows stays in the field that it was typed into: it may be a word after all.
      const words = await now.current.code(codes)
      if (free && !words) restore()
      say({ code: codes[0] ?? '', words: free ? '' : words, last: words ? said.last : (codes[0] ?? '') })
    }
    const finish = (): void => {
      const [fields, puts, here] = [typed, before, focused]
      const field = textField(strokes[0]?.target ?? null)
      const codes = readings(clear())
      void take(codes, field, () => {
        for (const [one, value] of fields) if (!isPlace(one)) putBack(one, value)
        for (const put of puts) put()
        if (here instanceof HTMLInputElement && here.isConnected && isPlace(here)) here.focus()
        else if (here instanceof HTMLElement && here.dataset.codes === 'jump') here.blur()
      })
    }
    const scanned = (): boolean => {
      const field = textField(strokes[0]?.target ?? null)
      const first = strokes[0]
      // A list goes to the choice whose first letters are typed, however quickly.
      const outside =
        (first?.held === true && !(first.target instanceof HTMLSelectElement) && !field) ||
        (field !== null && takesFigures(field) && strokes.some(({ key }) => NO_FIGURE.test(key)))
      if (!isScan(strokes, outside)) return false
      // Entries typed place after place, however fast, stay where they were typed.
      const parts = new Map<EventTarget | null, string>()
      for (const { event, target } of strokes) parts.set(target, (parts.get(target) ?? '') + event.key)
      return !(field && isPlace(field) && [...parts.values()].every(isEntry))
    }
    /** Nothing came for long enough; after a busy moment keys may still wait to be told of. */
    const settle = (due: number): void => {
      const now_ = performance.now()
      if (now_ > due + LATE_MS) timer = setTimeout(settle, LATE_MS, now_ + LATE_MS)
      else if (scanned()) finish()
      else {
        const gone = { strokes: strokes.map((one) => ({ ...one, held: false })), before, typed, focused }
        release()
        letGo = gone
      }
    }
    const pressed = (event: KeyboardEvent): void => {
      if (replayed.has(event) || event.isComposing) return
      const late = strokes.length > 0 && event.timeStamp - (strokes[strokes.length - 1] as Stroke).at > GAP_MS
      const end = (): void => { if (scanned()) finish(); else release() }
      if (event.key === 'Enter' || event.key === 'Tab') {
        if (!late && scanned()) {
          event.preventDefault()
          event.stopImmediatePropagation()
        }
        end()
        return
      }
      if (event.key === 'Shift' || event.key === 'AltGraph' || event.key === 'CapsLock') return
      const commanded = (event.ctrlKey || event.metaKey || event.altKey) && !event.getModifierState('AltGraph')
      const within = strokes.length > 0 && !late && event.key === ' '
      if (!(mayBegin(event.key) || within) || commanded || event.repeat) {
        end()
        return
      }
      const led = document.activeElement
      if (late) end()
      // What was held back until now may have led elsewhere; this key goes there, too.
      const target = document.activeElement === led ? event.target : document.activeElement
      const last = letGo?.strokes.at(-1)
      if (strokes.length === 0 && letGo && last && event.timeStamp - last.at <= GAP_MS) {
        strokes.push(...letGo.strokes)
        ;({ before, typed, focused } = letGo)
      } else if (strokes.length === 0) {
        before = [...keepers].map((keep) => keep())
        focused = document.activeElement
      }
      letGo = undefined
      const field = textField(target)
      if (field && !typed.has(field)) typed.set(field, field.value)
      const held = !field || (isPlace(field) && ACTS.has(event.key)) || strokes.some((one) => one.held)
      if (held) {
        event.preventDefault()
        event.stopImmediatePropagation()
      }
      strokes.push({ key: event.key, code: event.code, shift: event.shiftKey, at: event.timeStamp, event, target, held })
      clearTimeout(timer)
      timer = setTimeout(settle, GAP_MS, performance.now() + GAP_MS)
    }
    addEventListener('keydown', pressed, { capture: true })
    return () => {
      removeEventListener('keydown', pressed, { capture: true })
      clear()
    }
  }, [strokes])
  return null
}
