import { type QueryClient, useQueryClient } from '@tanstack/react-query'
import { useEffect, useSyncExternalStore } from 'react'
import { type Schemas, api, ask } from '../api/client'

type Marks = Schemas['Marks']
type Topic = 'batch' | 'stock' | 'day' | 'shelf' | 'unit'

const ASK_AGAIN_MS = 2_000

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
const shownBy = (topic: Topic, batch: string, tag: string): string[][] => {
  switch (topic) {
    case 'batch':
      return [['batch', batch], ['units', batch], ['orders', batch], ['count', batch], ['plan', batch], ['batches'], ['today'], ['dangers']]
    case 'stock':
      return [['stock'], ['kinds']]
    case 'day':
      return [['day'], ['today']]
    case 'shelf':
      return [['shelf']]
    case 'unit':
      return [['work', tag], ['release', tag], ['story', tag]]
  }
}

/** The topics whose marks differ; a first look differs in nothing. */
export function changed(before: Marks | null, now: Marks): Topic[] {
  const topics: Topic[] = ['batch', 'stock', 'day', 'shelf', 'unit']
  return before ? topics.filter((topic) => before[topic] !== now[topic]) : []
}

/** Says what is open every two seconds while the page is looked at, and asks again for what others changed. */
export function useLive(batch: string, tag: string, me: string): void {
  const queries = useQueryClient()
  useEffect(() => {
    tell(NOBODY)
    if (!me) return
    let over = false
    let before: Marks | null = null
    let first = ''
    let timer: ReturnType<typeof setTimeout>
    const look = async (): Promise<void> => {
      if (!document.hidden && navigator.onLine) {
        try {
          const now = await ask(api.POST('/api/here', { body: { batch, tag } }))
          if (over) return
          askAgain(queries, changed(before, now), batch, tag)
          first ||= now.unit_at || 'never'
          const kept = now.unit_by !== me && (now.unit_at || 'never') !== first
          tell({ here: now.others, keptBy: kept ? now.unit_by : '' })
          before = now
        } catch {
          // Not connected, or signed out meanwhile: what the screen itself asks for says so.
        }
      }
      if (!over) timer = setTimeout(() => void look(), ASK_AGAIN_MS)
    }
    timer = setTimeout(() => void look(), 0)
    return () => { over = true; clearTimeout(timer) }
  }, [batch, tag, me, queries])
}

function askAgain(queries: QueryClient, topics: Topic[], batch: string, tag: string): void {
  for (const topic of topics) {
    for (const queryKey of shownBy(topic, batch, tag)) void queries.invalidateQueries({ queryKey })
  }
}
