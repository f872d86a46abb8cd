import { useQueryClient } from '@tanstack/react-query'
import { useEffect, useSyncExternalStore } from 'react'
import { type Schemas, api, ask } from '../api/client'

type Marks = Schemas['Marks']
type Topic = keyof Pick<Marks, 'batch' | 'stock' | 'day' | 'shelf' | 'unit'>

const ASK_AGAIN_MS = 2_000
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
          for (const queryKey of staleBy(before, now, batch, tag)) void queries.invalidateQueries({ queryKey })
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
    timer = setTimeout(() => void look(), FIRST_MS)
    return () => { over = true; clearTimeout(timer) }
  }, [batch, tag, me, queries])
}
