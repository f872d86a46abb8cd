import { useSyncExternalStore } from 'react'
import { type Problem, problemOf } from '../api/client'
import { newToken } from '../api/token'

/** What waits to be sent; it lives on this device until it is answered. */
export interface Waiting<Body = unknown> {
  id: string
  kind: string
  tag: string
  body: Body
}

/** Sends one; what it returns is done once it has left the line. */
export type Sender = (waiting: Waiting) => Promise<() => void>
type Refusal = (waiting: Waiting, problem: Problem) => void

const PLACE = 'sortis.queue'
const CHANGED = 'sortis-queue'
/** No connection, signed out, too many at once, or nobody behind the proxy: not refused, only not yet. */
const NOT_YET = [0, 401, 429, 502, 503, 504]

let senders: Record<string, Sender> = {}
let sending: Promise<void> | null = null
let unanswered = false
let read = ''
let line: Waiting[] = []
const refusals = new Set<Refusal>()

const isWaiting = (one: unknown): one is Waiting => {
  const { id, kind, tag, body } = (one ?? {}) as Partial<Waiting>
  return [id, kind, tag].every((text) => typeof text === 'string') && body !== undefined
}

/** The whole line, first come first; the same array until it changes. */
export const inLine = (): Waiting[] => {
  const text = localStorage.getItem(PLACE) ?? ''
  if (text === read) return line
  read = text
  try {
    const kept: unknown = JSON.parse(text || '[]')
    line = Array.isArray(kept) ? kept.filter(isWaiting) : []
  } catch {
    line = []
  }
  return line
}

const tell = (): void => { dispatchEvent(new Event(CHANGED)) }
const put = (now: Waiting[]): void => {
  if (now.length) localStorage.setItem(PLACE, JSON.stringify(now))
  else localStorage.removeItem(PLACE)
  tell()
}

export const waitingOf = <Body>(kind: string, tag?: string): Waiting<Body>[] =>
  inLine().filter((one): one is Waiting<Body> => one.kind === kind && (tag === undefined || one.tag === tag))
export const enqueue = (kind: string, tag: string, body: unknown): void => put([...inLine(), { id: newToken(), kind, tag, body }])
/** Takes back what is still here: all of a kind and tag, or its last one. */
export const takeBack = (kind: string, tag: string, which: 'all' | 'last' = 'all'): void => {
  const last = waitingOf(kind, tag).at(-1)
  put(inLine().filter((one) => (which === 'all' ? one.kind !== kind || one.tag !== tag : one.id !== last?.id)))
}

/** Only one window of this browser sends at a time. */
const alone = (work: () => Promise<void>): Promise<void> =>
  'locks' in navigator ? navigator.locks.request(PLACE, work).then(() => undefined) : Promise.resolve().then(work)

const sendLine = async (): Promise<void> => {
  const first = (): Waiting | undefined => inLine().find((one) => Object.hasOwn(senders, one.kind))
  for (let next = first(); next; next = first()) {
    const { id, kind, tag } = next
    try {
      const landed = await senders[kind]?.(next)
      unanswered = false
      put(inLine().filter((one) => one.id !== id))
      landed?.()
    } catch (error) {
      const problem = problemOf(error)
      if (NOT_YET.includes(problem.status)) {
        unanswered = true
        tell()
        return
      }
      // What follows a refused one was made on a wrong belief.
      takeBack(kind, tag)
      for (const refused of refusals) refused(next, problem)
    }
  }
}

/** What joins the line after its end was seen is no part of this turn, though the turn is let go of later. */
const sendAll = (): Promise<void> => sendLine().finally(() => { sending = null })

/** Send what waits, in order; whoever asks while it is being sent waits for the same. */
export const flush = (): Promise<void> => {
  sending ??= alone(sendAll).catch((error: unknown) => {
    sending = null
    throw error
  })
  return sending
}

/** Say who sends what. */
export const sendBy = (by: Record<string, Sender>): void => { senders = by }

export const whenRefused = (refused: Refusal): (() => void) => {
  refusals.add(refused)
  return () => { refusals.delete(refused) }
}

const whenChanged = (changed: () => void): (() => void) => {
  addEventListener(CHANGED, changed)
  addEventListener('storage', changed)
  return () => {
    removeEventListener(CHANGED, changed)
    removeEventListener('storage', changed)
  }
}
export const useLine = (): Waiting[] => useSyncExternalStore(whenChanged, inLine)
/** Nobody answered the last time something was sent. */
export const useUnanswered = (): boolean => useSyncExternalStore(whenChanged, () => unanswered)
