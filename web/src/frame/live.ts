import { useQueryClient } from '@tanstack/react-query'
import { useEffect, useSyncExternalStore } from 'react'
import { type Schemas, api, ask } from '../api/client'

type Marks = Schemas['Marks']
type Topic = keyof Pick<Marks, 'batch' | 'stock' | 'day' | 'shelf' | 'unit'>

const ASK_AGAIN_MS = 2_000
const STREAM_AGAIN_MS = 15_000
/** What the screen itself asks for comes first. */
const FIRST_MS = 400

/** What others do to the unit that is open. */
interface Others {
  /** Names of those who have it open, too. */
  here: string[]
  /** Who kept an inspection of it since it was opened here; empty where nobody else did. */
  keptBy: string
}

const NOBODY: Others = { here: [], keptBy: '' }
let others = NOBODY
const listeners = new Set<() => void>()
const tell = (next: Others): void => {
  if (next.keptBy === others.keptBy && next.here.join() === others.here.join()) return
  others = next
  for (const listener of listeners) listener()
}

/** Who else is on the unit that is open, and whether somebody kept it meanwhile. */
export const useOthers = (): Others => useSyncExternalStore((changed) => { listeners.add(changed); return () => listeners.delete(changed) }, () => others)

/** What is asked for again where a mark changed; an inspection that is being typed never is. */
const shownBy = (batch: string, tag: string): Record<Topic, string[][]> => ({
  batch: [['batch', batch], ['units', batch], ['orders', batch], ['count', batch], ['plan', batch], ['batches'], ['today'], ['dangers']],
  stock: [['stock'], ['kinds']],
  day: [['day'], ['today']],
  shelf: [['shelf']],
  unit: [['work', tag], ['release', tag], ['story', tag]],
})

/** What was shown by a mark that differs now; a first look differs in nothing. */
export function staleBy(before: Marks | null, now: Marks, batch: string, tag: string): string[][] {
  const shown = Object.entries(shownBy(batch, tag)) as [Topic, string[][]][]
  return before ? shown.flatMap(([topic, keys]) => (before[topic] === now[topic] ? [] : keys)) : []
}

/** What was told, where it is what the stream tells. */
export function marksOf(told: unknown): Marks | null {
  try {
    const marks = JSON.parse(String(told)) as Partial<Marks> | null
    const words = [marks?.batch, marks?.stock, marks?.day, marks?.shelf, marks?.unit, marks?.unit_by, marks?.unit_at]
    const known = words.every((one) => typeof one === 'string') && Array.isArray(marks?.others) && marks.others.every((one) => typeof one === 'string')
    return known ? (marks as Marks) : null
  } catch {
    return null
  }
}

/** When the stream may be tried again, after it was refused. */
let streamAgain = 0

/**
 * Hears how things are, at once and whenever they change, while the page is looked at. They are
 * asked for where the stream does not come through. A page that nobody looks at holds no
 * connection: a browser opens only six to one place.
 */
export function follow(batch: string, tag: string, hear: (marks: Marks) => void): () => void {
  let over = false
  let source: EventSource | undefined
  let timer: ReturnType<typeof setTimeout>
  const close = (): void => {
    source?.close()
    source = undefined
  }
  const listen = (): void => {
    if (source || performance.now() < streamAgain) return
    source = new EventSource(`/api/stream?${new URLSearchParams({ batch, tag }).toString()}`)
    source.onmessage = ({ data }) => {
      const marks = marksOf(data)
      if (marks) hear(marks)
    }
    source.onerror = () => {
      // By itself it begins again after an end, and never after a refusal.
      if (source?.readyState !== EventSource.CLOSED) return
      close()
      streamAgain = performance.now() + STREAM_AGAIN_MS
      void look()
    }
  }
  const look = async (): Promise<void> => {
    clearTimeout(timer)
    const begins = !source
    if (document.hidden) close()
    else if (navigator.onLine) {
      listen()
      const silent = source ? !begins && source.readyState !== EventSource.OPEN : true
      if (silent) {
        try {
          const marks = await ask(api.POST('/api/here', { body: { batch, tag } }))
          if (!over) hear(marks)
        } catch {
          // Not connected, or signed out meanwhile: what the screen itself asks for says so.
        }
      }
    }
    clearTimeout(timer)
    if (!over) timer = setTimeout(() => void look(), ASK_AGAIN_MS)
  }
  const seen = (): void => void look()
  timer = setTimeout(seen, FIRST_MS)
  document.addEventListener('visibilitychange', seen)
  return () => {
    over = true
    clearTimeout(timer)
    document.removeEventListener('visibilitychange', seen)
    close()
  }
}

/** Asks again for what others changed, and tells who is on the unit that is open. */
export function useLive(batch: string, tag: string, me: string): void {
  const queries = useQueryClient()
  useEffect(() => {
    tell(NOBODY)
    if (!me) return
    let before: Marks | null = null
    let first = ''
    return follow(batch, tag, (now) => {
      for (const queryKey of staleBy(before, now, batch, tag)) void queries.invalidateQueries({ queryKey })
      first ||= now.unit_at || 'never'
      const kept = now.unit_by !== me && (now.unit_at || 'never') !== first
      tell({ here: now.others, keptBy: kept ? now.unit_by : '' })
      before = now
    })
  }, [batch, tag, me, queries])
}
