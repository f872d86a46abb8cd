import { useEffect, useState } from 'react'
import type { Schemas } from '../api/client'
import { StripGroup } from '../api/vocabulary'
import { usualWords } from '../frame/vocabulary'

type Cell = Schemas['StripCell']

/** Everything nobody wrote about is as it should be. */
const REST = 'the rest +'
/** Groups whose places are filled all at once. */
const TOGETHER: Cell['group'][] = [StripGroup.PART, StripGroup.TEST]

/** On a tablet: the usual words for the place in focus as keys of their own, without a keyboard. */
export function TouchKeys({ strip, disabled, onType, onAllThere }: { strip: Schemas['Strip']; disabled: boolean; onType: (key: string, text: string) => void; onAllThere: () => void }) {
  const [place, setPlace] = useState('')
  useEffect(() => {
    const focused = (event: FocusEvent): void => {
      const key = (event.target as HTMLElement).dataset?.place
      if (key) setPlace(key)
    }
    addEventListener('focusin', focused)
    return () => removeEventListener('focusin', focused)
  }, [])
  const at = strip.cells.findIndex((cell) => cell.key === place)
  const cell = strip.cells[at]
  if (!cell) return null
  const press = (word: string): void => {
    if (word === REST) {
      onAllThere()
      document.querySelector<HTMLInputElement>('input[data-place=grade]')?.focus()
      return
    }
    onType(cell.key, word)
    // The next place is in focus at once; a danger ends it.
    const next = strip.cells[at + 1]
    if (next && word !== '!') document.querySelector<HTMLInputElement>(`input[data-place="${next.key}"]`)?.focus()
  }
  return (
    <div className="hidden pointer-coarse:flex flex-wrap gap-2" role="group" aria-label={`Keys for ${cell.label}`}>
      <span className="self-center font-semibold min-w-20">{cell.label}</span>
      {[...(cell.accepts.length ? [...cell.accepts, '?'] : usualWords(cell.group)), ...(TOGETHER.includes(cell.group) ? [REST] : [])].map((word) => (
        // The place keeps the focus, so that the tablet's own keyboard does not come and go.
        <button type="button" key={word} disabled={disabled} className="btn btn-outline btn-bench font-mono min-w-14" onPointerDown={(event) => event.preventDefault()} onClick={() => press(word)}>{word}</button>
      ))}
    </div>
  )
}
