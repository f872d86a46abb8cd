import { useEffect, useRef, useState } from 'react'
import { useNavigate } from 'react-router'
import { api, ask, problemOf } from '../api/client'
import { placeOf } from './Stages'

/** A scan or a typed tag jumps to that unit's next step, from anywhere. */
export function ScanBox() {
  const field = useRef<HTMLInputElement>(null)
  const [text, setText] = useState('')
  const [refusal, setRefusal] = useState('')
  const go = useJump()

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
      <label className="input input-bordered flex items-center w-52 h-9 bg-base-100">
        <input
          ref={field}
          onFocus={(event) => event.currentTarget.select()}
          value={text}
          onChange={(event) => {
            setText(event.target.value)
            setRefusal('')
          }}
          placeholder="Scan or type a tag"
          aria-label="Scan or type a tag"
        />
        <kbd>/</kbd>
      </label>
      {refusal && (
        <p role="alert" className="absolute right-0 top-11 z-20 w-72 bg-base-100 border border-accent p-3 text-sm">
          {refusal}
        </p>
      )}
    </form>
  )
}

/** Jump to the next step of a unit; answers with the refusal, empty when it went. */
export function useJump(): (tag: string) => Promise<string> {
  const navigate = useNavigate()
  return async (tag) => {
    try {
      const unit = await ask(api.GET('/api/units/{tag}', { params: { path: { tag: tag.trim() } } }))
      navigate(placeOf(unit.batch, unit.stage, unit.tag))
      return ''
    } catch (error) {
      return problemOf(error).detail
    }
  }
}
