import { type ComponentProps, useId, useState } from 'react'
import { dayAsWritten, day, isoDayOf } from './words'

interface Props extends Omit<ComponentProps<'input'>, 'type' | 'value' | 'defaultValue' | 'onChange'> {
  label: string
  /** ISO, or empty. */
  begins: string
  /** Told in ISO, empty where the field is. */
  onDay?: (iso: string) => void
}

/** A day as the workshop writes it, 21.12.2026 or 12/21/2026; a form reads it with `dayGiven`. */
export function DayField({ label, begins, onDay, className, ...rest }: Props) {
  const id = useId()
  const [said, setSaid] = useState('')
  const read = (field: HTMLInputElement): void => {
    const iso = isoDayOf(field.value)
    const known = iso !== '' || !field.value.trim()
    field.setCustomValidity(known ? '' : `“${field.value}” is no day. Write it like ${dayAsWritten(`${new Date().getFullYear()}-12-21`)}.`)
    setSaid(iso ? day(iso) : '')
    if (known) onDay?.(iso)
  }
  return (
    <span className="relative">
      <label htmlFor={id}>{label}</label>
      <input {...rest} id={id} aria-describedby={`${id}-said`} type="text" inputMode="numeric" autoComplete="off" className={`${className} block`} placeholder={dayAsWritten(`${new Date().getFullYear()}-12-21`)} defaultValue={begins ? dayAsWritten(begins) : ''} onChange={(event) => read(event.currentTarget)} />
      <span id={`${id}-said`} className="absolute left-0 top-full text-sm quiet whitespace-nowrap" aria-live="polite">{said}</span>
    </span>
  )
}

/** The day in a form's field as ISO; empty where the field is. */
export const dayGiven = (form: FormData, name: string): string => isoDayOf(String(form.get(name) ?? ''))
