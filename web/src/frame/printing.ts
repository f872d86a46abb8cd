import { useSyncExternalStore } from 'react'

const paper = matchMedia('print')
const listen = (tell: () => void): (() => void) => {
  paper.addEventListener('change', tell)
  return () => paper.removeEventListener('change', tell)
}

/** Whether the page is being drawn on paper: then nothing is left for later or folded away. */
export const usePrinting = (): boolean => useSyncExternalStore(listen, () => paper.matches)
