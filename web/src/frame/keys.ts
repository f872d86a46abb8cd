import { useEffect, useRef } from 'react'

const typing = (target: EventTarget | null): boolean =>
  target instanceof HTMLElement && (target.matches('input:not([type=range]):not([type=radio]):not([type=checkbox]), textarea, select') || target.isContentEditable)

/** Single keys of a screen; they rest while somebody types into a field. */
export function useKeys(keys: Record<string, (event: KeyboardEvent) => void>): void {
  const current = useRef(keys)
  current.current = keys
  useEffect(() => {
    const pressed = (event: KeyboardEvent): void => {
      if (event.ctrlKey || event.metaKey || event.altKey || typing(event.target)) return
      // A focused button or link answers Space and Enter itself.
      const pressable = event.target instanceof HTMLElement && event.target.closest('button, a, summary, input')
      if (pressable && (event.key === ' ' || event.key === 'Enter')) return
      const act = current.current[event.key] ?? current.current[event.key.toLowerCase()]
      if (act) {
        event.preventDefault()
        act(event)
      }
    }
    addEventListener('keydown', pressed)
    return () => removeEventListener('keydown', pressed)
  }, [])
}
