import { useEffect, useRef } from 'react'

const typing = (target: EventTarget | null): boolean =>
  target instanceof HTMLElement && (target.matches('input:not([type=range]):not([type=radio]):not([type=checkbox]), textarea, select') || target.isContentEditable)

/** One key of a screen: what it does, and why it does nothing now. */
export interface KeyRow {
  key: string
  does: string
  /** Left out where the place in focus answers the key itself. */
  act?: (event: KeyboardEvent) => void
  /** Why it does nothing now; empty where it acts. */
  off?: string
}

export interface KeyTable {
  screen: string
  rows: readonly KeyRow[]
}

/** What every open screen answers to, the one opened last first; help is drawn from it. */
const tables: { current: KeyTable }[] = []

export const openTables = (): KeyTable[] => tables.map((table) => table.current).filter((table) => table.rows.length > 0)

/** What stands on a key cap. */
export const capOf = (key: string): string =>
  ({ ' ': 'Space', ArrowUp: '↑', ArrowDown: '↓', ArrowLeft: '←', ArrowRight: '→', Escape: 'Esc', Backspace: '⌫' })[key] ?? (key.length === 1 ? key.toUpperCase() : key)

/** Single keys of a screen; they rest while somebody types into a field. `?` shows them. */
export function useKeys(screen: string, rows: readonly KeyRow[]): void {
  const current = useRef<KeyTable>({ screen, rows })
  current.current = { screen, rows }
  useEffect(() => {
    const mine = { get current() { return current.current } }
    tables.unshift(mine)
    const pressed = (event: KeyboardEvent): void => {
      if (event.ctrlKey || event.metaKey || event.altKey || typing(event.target)) return
      // A focused button or link answers Space and Enter itself.
      const pressable = event.target instanceof HTMLElement && event.target.closest('button, a, summary, input')
      if (pressable && (event.key === ' ' || event.key === 'Enter')) return
      const row = current.current.rows.find(({ key, act }) => act && (key === event.key || key === event.key.toLowerCase()))
      // Where Space does nothing now, the page does not scroll away under the hand instead.
      if (row?.off && event.key === ' ') event.preventDefault()
      if (!row || row.off) return
      event.preventDefault()
      // A key that is held walks on, and does nothing else a second time.
      if (event.repeat && !event.key.startsWith('Arrow')) return
      row.act?.(event)
    }
    addEventListener('keydown', pressed)
    return () => {
      removeEventListener('keydown', pressed)
      tables.splice(tables.indexOf(mine), 1)
    }
  }, [])
}
