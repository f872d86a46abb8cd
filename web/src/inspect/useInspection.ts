import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useCallback, useEffect, useRef, useState } from 'react'
import { type Schemas, api, ask, lostOf, problemOf } from '../api/client'
import { dropDraft, keepDraft, keptDraft } from './drafts'

const READ_WITHIN_MS = 10_000
const MOST_REMEMBERED = 200

export const inspectionQuery = (tag: string) => ({
  queryKey: ['inspection', tag],
  queryFn: () => ask(api.GET('/api/units/{tag}/inspection', { params: { path: { tag } } })),
  staleTime: 5_000,
})

export interface Open {
  view: Schemas['InspectionView'] | undefined
  /** Why there is nothing to show. */
  lost: unknown
  trim: string
  entries: Record<string, string>
  reading: Schemas['Reading'] | undefined
  /** Typed on this device and not kept on the server yet. */
  drafted: boolean
  connected: boolean
  startedFrom: number
  type: (changes: Record<string, string>) => void
  setTrim: (trim: string) => void
  /** Take a whole unit's entries over, as a bench line or a read-out gives them; can be undone. */
  takeOver: (entries: Record<string, string>, trim?: string) => void
  undo: () => void
  canUndo: boolean
  /** What is typed now, to be put back as it is. */
  keep: () => () => void
  /** Begin again from what the server holds. */
  replace: (entries: Record<string, string>, startedFrom: number) => void
}

/** One unit open for inspection: what is typed, and what the core reads from it. */
export function useInspection(tag: string): Open {
  const query = useQuery(inspectionQuery(tag))
  const queries = useQueryClient()
  const [draft, setDraft] = useState<{ tag: string; trim: string; entries: Record<string, string>; started_from: number; drafted: boolean } | null>(null)
  const [reading, setReading] = useState<Schemas['Reading']>()
  const [connected, setConnected] = useState(true)
  /** What is typed and not read by the core yet; one question at a time, the newest next. */
  const waiting = useRef<{ turn: number; trim: string; entries: Record<string, string> } | null>(null)
  const asking = useRef(false)
  const turn = useRef(0)
  const before = useRef<{ trim: string; entries: Record<string, string> }[]>([])
  /** The place that was typed into last: its letters are taken back together. */
  const lastPlace = useRef('')
  const view = query.data?.tag === tag ? query.data : undefined

  useEffect(() => {
    if (!view || (draft?.tag === tag && draft.drafted)) return
    if (draft?.tag === tag && draft.started_from === view.number) {
      // Nothing is typed here: what the server holds is shown, also after the unit got another sheet.
      setReading(view.reading)
      if (draft.trim !== view.trim) setDraft({ ...draft, trim: view.trim })
      return
    }
    const kept = keptDraft(tag)
    setDraft(
      kept
        ? { tag, ...kept, drafted: true }
        : { tag, trim: view.trim, entries: view.entries, started_from: view.number, drafted: false },
    )
    setReading(view.reading)
  }, [view, tag, draft])

  const read = useCallback(async (of: string) => {
    if (asking.current) return
    asking.current = true
    while (waiting.current) {
      const { turn: asked, ...body } = waiting.current
      waiting.current = null
      try {
        const said = await ask(api.POST('/api/units/{tag}/read', { params: { path: { tag: of } }, body, signal: AbortSignal.timeout(READ_WITHIN_MS) }))
        if (asked === turn.current) setReading(said)
        setConnected(true)
      } catch (error) {
        setConnected(problemOf(error).status !== 0)
      }
    }
    asking.current = false
  }, [])

  const mine = draft?.tag === tag ? draft : null
  const typedTrim = mine?.trim ?? ''
  const typed = mine?.entries
  useEffect(() => {
    turn.current++
    waiting.current = null
    if (!mine?.drafted || !typed) return
    keepDraft(tag, { trim: typedTrim, entries: typed, started_from: mine.started_from })
    waiting.current = { turn: turn.current, trim: typedTrim, entries: typed }
    void read(tag)
  }, [tag, mine?.drafted, mine?.started_from, typed, typedTrim, read])

  const change = useCallback(
    (edit: (now: { trim: string; entries: Record<string, string> }) => { trim: string; entries: Record<string, string> }) =>
      setDraft((now) => (now ? { ...now, ...edit(now), drafted: true } : now)),
    [],
  )
  const remember = (place: string): void => {
    if (place && place === lastPlace.current) return
    lastPlace.current = place
    before.current.push({ trim: typedTrim, entries: typed ?? {} })
    if (before.current.length > MOST_REMEMBERED) before.current.shift()
  }
  return {
    view,
    lost: lostOf(query),
    trim: typedTrim,
    entries: typed ?? {},
    reading: mine ? reading : view?.reading,
    drafted: mine?.drafted ?? false,
    connected,
    startedFrom: mine?.started_from ?? 0,
    type: (changes) => {
      remember(Object.keys(changes).join(' '))
      change((now) => ({ trim: now.trim, entries: { ...now.entries, ...changes } }))
    },
    setTrim: (trim) => {
      remember('')
      change((now) => ({ trim, entries: now.entries }))
    },
    takeOver: (entries, trim) => {
      remember('')
      change((now) => ({ trim: trim ?? now.trim, entries }))
    },
    undo: () => {
      const last = before.current.pop()
      lastPlace.current = ''
      if (last) change(() => last)
    },
    canUndo: before.current.length > 0,
    keep: () => {
      const was = draft
      const [history, place] = [[...before.current], lastPlace.current]
      return () => {
        before.current = history
        lastPlace.current = place
        if (!was?.drafted) dropDraft(tag)
        setDraft(was)
        if (view && was && !was.drafted) setReading(view.reading)
      }
    },
    replace: (entries, startedFrom) => {
      dropDraft(tag)
      before.current = []
      lastPlace.current = ''
      setDraft((now) => (now ? { ...now, entries, started_from: startedFrom, drafted: false } : now))
      void queries.invalidateQueries({ queryKey: ['inspection', tag] })
    },
  }
}
