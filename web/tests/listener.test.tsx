import { act, useEffect, useRef, useState } from 'react'
import { type Root, createRoot } from 'react-dom/client'
import { MemoryRouter } from 'react-router'
import { afterEach, beforeEach, expect, it } from 'vitest'
import { ScanListener, useScan } from '../src/frame/ScanListener'

let root: Root
const taken: string[][] = []

/** A screen where a key leads into a field. */
function Screen() {
  const field = useRef<HTMLInputElement>(null)
  const [text, setText] = useState('')
  useScan((codes) => { taken.push(codes); return true })
  useEffect(() => {
    const led = (event: KeyboardEvent): void => { if (event.key === '/' && event.target !== field.current) field.current?.focus() }
    addEventListener('keydown', led)
    return () => removeEventListener('keydown', led)
  }, [])
  return <input ref={field} aria-label="tag" value={text} onChange={(event) => setText(event.target.value)} />
}

/** A key as the browser tells of it; what nobody prevents is written into the field that has the focus. */
function press(key: string, at: number): void {
  const code = /[a-z]/i.test(key) && key.length === 1 ? `Key${key.toUpperCase()}` : /\d/.test(key) ? `Digit${key}` : 'Slash'
  const event = new KeyboardEvent('keydown', { key, code, bubbles: true, cancelable: true })
  Object.defineProperty(event, 'timeStamp', { value: at })
  const free = (document.activeElement ?? document.body).dispatchEvent(event)
  const here = document.activeElement
  if (free && key.length === 1 && here instanceof HTMLInputElement) {
    Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value')?.set?.call(here, here.value + key)
    here.dispatchEvent(new Event('input', { bubbles: true }))
  }
}

const field = (): HTMLInputElement => document.querySelector('input') as HTMLInputElement

beforeEach(async () => {
  ;(globalThis as { IS_REACT_ACT_ENVIRONMENT?: boolean }).IS_REACT_ACT_ENVIRONMENT = true
  taken.length = 0
  const box = document.body.appendChild(document.createElement('div'))
  root = createRoot(box)
  await act(async () => root.render(<MemoryRouter><ScanListener /><Screen /></MemoryRouter>))
})
afterEach(async () => {
  await act(async () => root.unmount())
  document.body.innerHTML = ''
})

it('leads every letter typed after a key that leads into a field, though the page was busy', async () => {
  await act(async () => { for (const [n, key] of [...'/tw1'].entries()) press(key, 1000 + n * 120) })
  await act(() => new Promise((done) => setTimeout(done, 200)))
  expect(field().value).toBe('tw1')
  expect(taken).toEqual([])
})

it('takes a scan as a whole, though its keys are told of late', async () => {
  field().focus()
  const late = () => act(() => new Promise((done) => setTimeout(done, 150)))
  await act(async () => press('t', 1000))
  await late()
  expect(field().value).toBe('t')
  await act(async () => { for (const [n, key] of [...'w00'].entries()) press(key, 1040 + n * 40) })
  await late()
  await act(async () => { for (const [n, key] of [...'01'].entries()) press(key, 1160 + n * 40) })
  expect(field().value).toBe('tw0001')
  await act(async () => press('Enter', 1240))
  expect(taken).toEqual([['tw0001']])
  expect(field().value).toBe('')
})

it('takes a scan as a whole, into no field', async () => {
  await act(async () => {
    for (const [n, key] of [...'tw0001'].entries()) press(key, 1000 + n * 12)
    press('Enter', 1080)
  })
  expect(taken).toEqual([['tw0001']])
  expect(field().value).toBe('')
})

it('lets no letter of a scan act, though a busy page tells of its end only when somebody goes on', async () => {
  const acted: string[] = []
  const acts = (event: KeyboardEvent): void => { acted.push(event.key) }
  addEventListener('keydown', acts)
  await act(async () => {
    for (const [n, key] of [...'PALACE'].entries()) press(key, 1000 + n * 40)
    press('Enter', 5000)
    for (const [n, key] of [...'PALACE'].entries()) press(key, 6000 + n * 40)
    press('Escape', 9000)
  })
  removeEventListener('keydown', acts)
  expect(taken.map(([code]) => code)).toEqual(['PALACE', 'PALACE'])
  expect(acted).toEqual(['Enter', 'Escape'])
})
