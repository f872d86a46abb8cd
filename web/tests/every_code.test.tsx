import { readFileSync } from 'node:fs'
import { act, useState } from 'react'
import { type Root, createRoot } from 'react-dom/client'
import { MemoryRouter } from 'react-router'
import { afterEach, beforeEach, expect, it, vi } from 'vitest'
import { ScanListener, useScan, useScanKeeper } from '../src/frame/ScanListener'

/** Every code of the demo, into every kind of focus, at the rhythms and with the ends of scanners. */
const demo = (name: string): string => readFileSync(`../demo/${name}`, 'utf8')
const cells = (name: string): string[] => demo(name).split(/[\n\r;,\t]+/).map((cell) => cell.replaceAll('"', '').trim())
const CODES = [...new Set([
  ...['ferry_line/manifest.csv', 'ticket_desks/manifest.csv', 'call_centre/manifest.csv'].flatMap(cells).filter((cell) => /^\S+$/.test(cell)),
  ...demo('stock.json').match(/"place": "[^"]+"/g)?.map((found) => found.slice(10, -1)) ?? [],
  ...demo('people.json').match(/"username": "[^"]+"/g)?.map((found) => found.slice(13, -1)) ?? [],
  ...Array.from({ length: 40 }, (_, n) => `LOT-${n * 7 + 3}`),
  ...Array.from({ length: 60 }, (_, n) => `TW-${String(401 + n).padStart(4, '0')}`),
  '~m', '~16', '~n256', '~miss', '5CG/81-A.2', 'ВОЛНА-7781', 'https://shop.example/p/x7Kd-02_aZ9qLmN4', 'BADGE-7',
  // What stands on other labels of a desk: scanned by mistake, it is no key either.
  'WIFI:T:WPA;S:quay;P:salt and iron;;', '{"sn": "K9+2, x"}', 'https://shop.example/?id=5&q=a+b', 'BEGIN:VCARD', '=<DIN0001', '?PALACE', '!PALACE-9', '+49 30 5557',
])].filter((code) => /^.{2,60}$/.test(code) && (/\d/.test(code) || code.length >= 8 || code.startsWith('~')) && (code.length >= 5 || code.startsWith('~')))
const RHYTHMS = [[3], [48, 60, 25, 55, 40]] as const
const ENDS = ['Enter', 'Tab', ''] as const

let root: Root
let clock = 1000
const taken: string[][] = []
const acted: string[] = []

/** One of everything that can have the focus; each letter that acts is written down. */
function Screen() {
  const [place, setPlace] = useState('')
  const [text, setText] = useState('as it was')
  useScan((codes) => { taken.push(codes); return true })
  useScanKeeper(() => { const held = place; return () => setPlace(held) })
  const act_ = (what: string) => () => { acted.push(what) }
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: it writes down what acts, and is no control
    <div onKeyDown={(event) => { if (!(event.target instanceof HTMLInputElement) && !(event.target instanceof HTMLTextAreaElement)) acted.push(`key ${event.key}`) }}>
      <button type="button" onClick={act_('button')}>Approve</button>
      <a href="/x" onClick={act_('link')}>the unit’s story</a>
      <input type="text" value={text} onChange={(event) => setText(event.target.value)} />
      <input type="search" defaultValue="" />
      <input type="number" defaultValue="5" />
      <input type="password" defaultValue="" />
      <input type="range" defaultValue="3" onChange={act_('range')} />
      <input type="checkbox" onChange={act_('checkbox')} />
      <input type="radio" name="r" onChange={act_('radio')} />
      <select defaultValue="b" onChange={act_('select')}><option value="a">TW</option><option value="b">8 GB</option></select>
      <textarea defaultValue="words" />
      <details><summary>more</summary>inside</details>
      <input data-place="m1" value={place} onChange={(event) => setPlace(event.target.value)} />
      <input data-codes="" defaultValue="" />
    </div>
  )
}

const CYRILLIC = 'фисвуапршолдьтщзйкыегмцчня'
function press(key: string, at: number): void {
  const letter = /[a-z]/i.test(key) && key.length === 1 ? key.toUpperCase() : 'ABCDEFGHIJKLMNOPQRSTUVWXYZ'[CYRILLIC.indexOf(key.toLowerCase())]
  const code = key.length > 1 ? key : letter ? `Key${letter}` : /\d/.test(key) ? `Digit${key}` : ({ '-': 'Minus', '/': 'Slash', '~': 'Backquote', '.': 'Period', ':': 'Semicolon', _: 'Minus' }[key] ?? 'Quote')
  const shiftKey = key.length === 1 && (/[~:_]/.test(key) || key !== key.toLowerCase())
  const event = new KeyboardEvent('keydown', { key, code, shiftKey, bubbles: true, cancelable: true })
  Object.defineProperty(event, 'timeStamp', { value: at })
  const here = document.activeElement ?? document.body
  if (!here.dispatchEvent(event) || key.length > 1) return
  if (here instanceof HTMLTextAreaElement || (here instanceof HTMLInputElement && ['text', 'search', 'number', 'password'].includes(here.type))) {
    const proto = here instanceof HTMLTextAreaElement ? HTMLTextAreaElement.prototype : HTMLInputElement.prototype
    Object.getOwnPropertyDescriptor(proto, 'value')?.set?.call(here, here.value + key)
    here.dispatchEvent(new Event('input', { bubbles: true }))
  }
}

const stands = (): string => [...document.querySelectorAll('input, textarea, select')].map((one) => { const field = one as HTMLInputElement; return `${field.value}${field.checked}` }).join('|')

beforeEach(async () => {
  ;(globalThis as { IS_REACT_ACT_ENVIRONMENT?: boolean }).IS_REACT_ACT_ENVIRONMENT = true
  vi.useFakeTimers({ toFake: ['setTimeout', 'clearTimeout', 'performance'] })
  taken.length = 0
  acted.length = 0
  root = createRoot(document.body.appendChild(document.createElement('div')))
  await act(async () => root.render(<MemoryRouter><ScanListener /><Screen /></MemoryRouter>))
})
afterEach(async () => {
  await act(async () => root.unmount())
  document.body.innerHTML = ''
  vi.useRealTimers()
})

it('knows the codes of the demo', () => {
  expect(CODES.length).toBeGreaterThan(250)
})

it('takes every code as a whole wherever the focus is, and no letter of it acts', async () => {
  const focuses = [null, ...document.querySelectorAll<HTMLElement>('button, a, input, select, textarea, summary')]
  expect(focuses.length).toBeGreaterThan(14)
  let turn = 0
  for (const code of CODES) {
    for (const [number, focus] of focuses.entries()) {
      const [rhythm, end] = [RHYTHMS[turn % 2] ?? [3], ENDS[turn % 3]]
      turn += 1
      if (focus) focus.focus()
      else (document.activeElement as HTMLElement | null)?.blur()
      const before = stands()
      taken.length = 0
      await act(async () => {
        clock += 1000
        for (const [n, key] of [...code].entries()) {
          press(key, clock)
          clock += rhythm[n % rhythm.length] ?? 3
        }
        if (end) press(end, clock)
        else await vi.advanceTimersByTimeAsync(400)
      })
      await act(async () => { await vi.advanceTimersByTimeAsync(400) })
      const where = `${code} into ${number} ${focus?.outerHTML ?? 'nothing'} every ${rhythm.join()} ${end}`
      expect(taken.length, where).toBe(1)
      expect(taken[0], where).toContain(code)
      expect(stands(), where).toBe(before)
      expect(acted, where).toEqual([])
    }
  }
}, 60_000)

it('takes a short word as a scan where nobody writes words', async () => {
  const focuses = [null, ...document.querySelectorAll<HTMLElement>('button, a, summary, input[type=number], input[type=range], input[type=checkbox], input[type=radio]')]
  for (const [number, focus] of focuses.entries()) {
    if (focus) focus.focus()
    else (document.activeElement as HTMLElement | null)?.blur()
    const before = stands()
    taken.length = 0
    await act(async () => {
      clock += 1000
      for (const [n, key] of [...'PALACE'].entries()) press(key, clock + n * 46)
      await vi.advanceTimersByTimeAsync(400)
    })
    expect([taken.length, stands(), acted], `${number} ${focus?.outerHTML}`).toEqual([1, before, []])
  }
  // A figure typed by a quick hand stays.
  const field = document.querySelector<HTMLInputElement>('input[type=number]')
  field?.focus()
  taken.length = 0
  await act(async () => {
    clock += 1000
    for (const [n, key] of [...'120'].entries()) press(key, clock + n * 46)
    await vi.advanceTimersByTimeAsync(400)
  })
  expect([taken, field?.value]).toEqual([[], '5120'])
})
