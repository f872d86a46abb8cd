import { useEffect, useState } from 'react'

type Theme = 'tide-day' | 'tide-night'
const KEPT = 'sortis.theme'

const DARK = matchMedia('(prefers-color-scheme: dark)')

const wanted = (): Theme => (localStorage.getItem(KEPT) as Theme | null) ?? (DARK.matches ? 'tide-night' : 'tide-day')

/** The theme in force and the other one's switch; the choice stays on this device. */
export function useTheme(): [Theme, () => void] {
  const [theme, setTheme] = useState<Theme>(wanted)
  useEffect(() => {
    document.documentElement.dataset.theme = theme
  }, [theme])
  useEffect(() => {
    // The device turns dark in the evening: unless somebody chose, the page turns with it.
    const turned = (): void => setTheme(wanted())
    DARK.addEventListener('change', turned)
    return () => DARK.removeEventListener('change', turned)
  }, [])
  return [
    theme,
    () => {
      const other: Theme = theme === 'tide-day' ? 'tide-night' : 'tide-day'
      localStorage.setItem(KEPT, other)
      setTheme(other)
    },
  ]
}
