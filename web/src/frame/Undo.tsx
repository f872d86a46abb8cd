import { useEffect, useState, useSyncExternalStore } from 'react'
import { problemOf } from '../api/client'

/** What was done at once, and how it is taken back. */
interface Done {
  words: string
  undo: () => Promise<string>
}

const SHOWN_MS = 60_000
let last: Done | null = null
const listeners = new Set<() => void>()
const show = (next: Done | null): void => {
  last = next
  for (const tell of listeners) tell()
}

/** Say what a big key did; it can be taken back for a minute. `undo` answers with what is so then. */
export const didAtOnce = (words: string, undo: () => Promise<string>): void => show({ words, undo })

/** The quiet line of what was done last, with its one key. */
export function Undo() {
  const done = useSyncExternalStore((tell) => { listeners.add(tell); return () => listeners.delete(tell) }, () => last)
  const [said, setSaid] = useState('')
  useEffect(() => {
    if (!done) return
    setSaid('')
    const timer = setTimeout(() => { if (last === done) show(null) }, SHOWN_MS)
    return () => clearTimeout(timer)
  }, [done])
  const back = async (): Promise<void> => {
    if (!done) return
    show(null)
    try {
      setSaid(await done.undo())
    } catch (refusal) {
      setSaid(problemOf(refusal).detail)
    }
  }
  useEffect(() => {
    if (!done) return
    const pressed = (event: KeyboardEvent): void => {
      const typing = event.target instanceof HTMLElement && event.target.matches('input, textarea')
      if ((event.ctrlKey || event.metaKey) && event.key === 'z' && !typing) {
        event.preventDefault()
        void back()
      }
    }
    addEventListener('keydown', pressed)
    return () => removeEventListener('keydown', pressed)
  })
  if (!done && !said) return null
  return (
    <p role="status" className="px-7 py-2 border-b border-base-300 flex items-center gap-4 text-base">
      <span>{done ? done.words : said}</span>
      {done
        ? <button type="button" className="btn btn-outline btn-sm pointer-coarse:btn-bench" onClick={() => void back()}>Undo <kbd>Ctrl Z</kbd></button>
        : <button type="button" className="underline quiet" onClick={() => setSaid('')}>Close</button>}
    </p>
  )
}
