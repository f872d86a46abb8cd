import { useEffect, useState } from 'react'

type Theme = 'tide-day' | 'tide-night'
const KEPT = 'sortis.theme'

const wanted = (): Theme =>
  (localStorage.getItem(KEPT) as Theme | null) ?? (matchMedia('(prefers-color-scheme: dark)').matches ? 'tide-night' : 'tide-day')

/** The theme in force and the other one's switch; the choice stays on this device. */
export function useTheme(): [Theme, () => void] {
  const [theme, setTheme] = useState<Theme>(wanted)
  useEffect(() => {
    document.documentElement.dataset.theme = theme
  }, [theme])
  return [
    theme,
    () => {
      const other: Theme = theme === 'tide-day' ? 'tide-night' : 'tide-day'
      localStorage.setItem(KEPT, other)
      setTheme(other)
    },
  ]
}
