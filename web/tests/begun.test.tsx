// @vitest-environment jsdom
import { act } from 'react'
import { createRoot } from 'react-dom/client'
import { afterEach, describe, expect, it, vi } from 'vitest'
import { BegunForm, begunAt, isFields, isText, keepBegun, useBegun } from '../src/frame/begun'
import { dayAsWritten, isoDayOf } from '../src/frame/words'

vi.stubGlobal('IS_REACT_ACT_ENVIRONMENT', true)
afterEach(() => localStorage.clear())

const shown = (what: React.ReactNode): { box: HTMLElement; leave: () => void } => {
  const box = document.body.appendChild(document.createElement('div'))
  const root = createRoot(box)
  act(() => root.render(what))
  return { box, leave: () => { act(() => root.unmount()); box.remove() } }
}

const type = (field: HTMLInputElement, text: string): void => {
  field.value = text
  act(() => { field.dispatchEvent(new Event('input', { bubbles: true })) })
}

describe('what was begun', () => {
  const form = (onSend: () => Promise<boolean>): React.ReactNode => (
    <BegunForm place="batch" onSend={onSend}>
      <input name="name" defaultValue="" />
      <input name="word" type="password" />
      <input name="role" type="checkbox" value="planner" />
      <button type="submit">Send</button>
    </BegunForm>
  )
  const field = (box: HTMLElement, name: string): HTMLInputElement => box.querySelector(`[name=${name}]`) as HTMLInputElement

  it('is there again after the form was left, without its secrets', () => {
    const first = shown(form(async () => true))
    field(first.box, 'role').checked = true
    type(field(first.box, 'word'), 'secret')
    type(field(first.box, 'name'), 'Harbour office')
    first.leave()
    const again = shown(form(async () => true))
    expect(field(again.box, 'name').value).toBe('Harbour office')
    expect(field(again.box, 'role').checked).toBe(true)
    expect(field(again.box, 'word').value).toBe('')
    again.leave()
  })

  it('stays after a refusal and is forgotten once it was taken', async () => {
    for (const [taken, left] of [[false, { name: 'Harbour office' }], [true, null]] as const) {
      const { box, leave } = shown(form(async () => taken))
      type(field(box, 'name'), 'Harbour office')
      await act(async () => { box.querySelector('form')?.requestSubmit() })
      expect(begunAt('batch', isFields)).toEqual(left === null ? null : expect.objectContaining(left))
      leave()
    }
  })

  it('grows by what comes at once, and broken words on the device are nothing', () => {
    let add: (word: string) => void = () => {}
    const Line = (): React.ReactNode => {
      const [text, change] = useBegun('line', '', isText)
      add = (word) => change((now) => now + word)
      return <p>{text}</p>
    }
    const { box, leave } = shown(<Line />)
    act(() => { add('m 8 '); add('/ ') })
    expect(box.textContent).toBe('m 8 / ')
    leave()
    localStorage.setItem('sortis.begun.line', '{')
    expect(begunAt('line', isText)).toBeNull()
    keepBegun('line', { text: 'of another version' })
    expect(begunAt('line', isText)).toBeNull()
    keepBegun('line', '')
    expect(localStorage.getItem('sortis.begun.line')).toBeNull()
  })
})

describe('a day as it is written', () => {
  it('is read as it is shown, and in ISO', () => {
    for (const iso of ['2026-12-21', '2027-01-02', '2028-02-29']) {
      expect(isoDayOf(dayAsWritten(iso))).toBe(iso)
      expect(isoDayOf(iso)).toBe(iso)
    }
  })
  it('is none where the words mean none', () => {
    for (const text of ['', 'soon', '2026-02-30', '12', '2026-13-01', '1.2', '2026-12-21 noon']) expect(isoDayOf(text)).toBe('')
  })
})
