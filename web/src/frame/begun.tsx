import { type ComponentProps, useCallback, useEffect, useRef, useState } from 'react'

/** Begun and not sent: it lives on this device through a reload and a new sign-in, until it is sent or put back. */
const keyOf = (place: string): string => `sortis.begun.${place}`

export const isFields = (kept: unknown): kept is Record<string, unknown> => typeof kept === 'object' && kept !== null && !Array.isArray(kept)
export const isText = (kept: unknown): kept is string => typeof kept === 'string'
const isTexts = (kept: unknown): kept is Record<string, string> => isFields(kept) && Object.values(kept).every(isText)

/** What lies there, where it is what it should be: an older version, or anybody, may have written it. */
export const begunAt = <T,>(place: string, is: (kept: unknown) => kept is T): T | null => {
  try {
    const kept: unknown = JSON.parse(localStorage.getItem(keyOf(place)) ?? 'null')
    return is(kept) ? kept : null
  } catch {
    return null
  }
}

export const keepBegun = (place: string, value: unknown): void => {
  if (value === null || value === '') localStorage.removeItem(keyOf(place))
  else localStorage.setItem(keyOf(place), JSON.stringify(value))
}

/** State that is kept so; `null` or an empty text is nothing begun. */
export function useBegun<T>(place: string, nothing: T, is: (kept: unknown) => kept is T): [T, (next: (now: T) => T) => void] {
  const [value, setValue] = useState<T>(() => begunAt(place, is) ?? nothing)
  const newest = useRef(value)
  const change = useCallback((next: (now: T) => T): void => {
    newest.current = next(newest.current)
    keepBegun(place, newest.current)
    setValue(newest.current)
  }, [place])
  return [value, change]
}

type Field = HTMLInputElement | HTMLSelectElement | HTMLTextAreaElement

const fieldsOf = (form: HTMLFormElement): Field[] =>
  [...form.elements].filter((one): one is Field => 'name' in one && Boolean((one as Field).name) && 'value' in one)

/** As if it were typed: who looks at what is typed looks at this, too. */
const write = (field: Field, text: string): void => {
  Object.getOwnPropertyDescriptor(Object.getPrototypeOf(field), 'value')?.set?.call(field, text)
  field.dispatchEvent(new Event(field instanceof HTMLSelectElement ? 'change' : 'input', { bubbles: true }))
}

const isTicked = (field: Field): field is HTMLInputElement => field.matches('[type=checkbox]')

/** Never kept: what is secret, and a choice among several, which may become evidence. */
const isNever = (field: Field): boolean => field.matches('[type=password], [type=file], [type=radio]')

interface Props extends Omit<ComponentProps<'form'>, 'onSubmit' | 'onInput' | 'ref'> {
  /** What it is called on this device. */
  place: string
  /** What was typed into; whether it was taken, so that nothing of it is begun any more. */
  onSend: (form: HTMLFormElement) => Promise<boolean>
}

/** A form that loses nothing: what was typed is there again after a reload, a refusal, a new sign-in. */
export function BegunForm({ place, onSend, children, ...rest }: Props) {
  const form = useRef<HTMLFormElement>(null)
  useEffect(() => {
    const begun = begunAt(place, isTexts)
    if (!begun || !form.current) return
    for (const field of fieldsOf(form.current)) {
      const kept = begun[field.name]
      if (kept === undefined || isNever(field)) continue
      if (isTicked(field)) field.checked = kept === field.value
      else write(field, kept)
    }
  }, [place])
  const keep = (): void => {
    if (!form.current) return
    const typed = fieldsOf(form.current).filter((field) => !isNever(field))
    const checked = typed.filter((field) => !isTicked(field) || field.checked)
    keepBegun(place, Object.fromEntries(checked.map((field) => [field.name, field.value])))
  }
  return (
    <form
      {...rest}
      ref={form}
      onInput={keep}
      onSubmit={async (event) => {
        event.preventDefault()
        const sent = event.currentTarget
        if (!(await onSend(sent))) return
        keepBegun(place, null)
        if (sent.isConnected) sent.reset()
      }}
    >
      {children}
    </form>
  )
}
