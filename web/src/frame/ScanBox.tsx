import { useEffect, useRef, useState } from 'react'
import { useCode, useScanned } from './ScanListener'

/** A scan or a typed tag jumps to that unit's next step, from anywhere. */
export function ScanBox() {
  const field = useRef<HTMLInputElement>(null)
  const [text, setText] = useState('')
  const [refusal, setRefusal] = useState('')
  const [unseen, setUnseen] = useState(true)
  const go = useJump()
  const scanned = useScanned()
  // biome-ignore lint/correctness/useExhaustiveDependencies: every scan is told anew, whatever was said before
  useEffect(() => setUnseen(true), [scanned])

  useEffect(() => {
    const pressed = (event: KeyboardEvent): void => {
      const inField = event.target instanceof HTMLElement && event.target.matches('input, textarea, select')
      if (event.key === '/' && !inField) {
        event.preventDefault()
        field.current?.focus()
      }
    }
    addEventListener('keydown', pressed)
    return () => removeEventListener('keydown', pressed)
  }, [])

  return (
    <form
      role="search"
      className="relative"
      onSubmit={async (event) => {
        event.preventDefault()
        if (!text.trim()) return
        // Emptied at once: the next scan may come before the answer to this one.
        setText('')
        const said = await go(text)
        setRefusal(said)
        if (said) setText((typed) => typed || text)
        else field.current?.blur()
      }}
    >
      <label className="input input-bordered flex items-center w-52 max-xl:w-40 h-9 bg-base-100">
        <input
          ref={field}
          onFocus={(event) => event.currentTarget.select()}
          value={text}
          onChange={(event) => {
            setText(event.target.value)
            setRefusal('')
          }}
          data-codes="jump"
          placeholder="Scan or type"
          aria-label="Scan or type a tag"
        />
        <kbd>/</kbd>
      </label>
      {refusal && (
        <p role="alert" className="absolute right-0 top-11 z-20 w-72 bg-base-100 border border-accent p-3 text-base">
          {refusal}
        </p>
      )}
      {!refusal && unseen && scanned.words && (
        <div role="alert" className="absolute right-0 top-11 z-20 w-80 bg-base-100 border border-accent p-3 text-base">
          <p>{scanned.words}</p>
          {scanned.last && <p className="quiet">Scanned before it: <span className="tag">{scanned.last}</span></p>}
          <button type="button" className="underline quiet" onClick={() => setUnseen(false)}>Close</button>
        </div>
      )}
    </form>
  )
}

/** Go where a typed tag or code leads; answers with the refusal, empty when it went. */
export function useJump(): (tag: string) => Promise<string> {
  const go = useCode()
  return (tag) => go([tag.trim()])
}
