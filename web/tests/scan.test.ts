import { describe, expect, it } from 'vitest'
import { GAP_MS, type Key, isEntry, isScan, mayBegin, readings } from '../src/frame/scan'

/** Keys of a text, one every `every` ms; the rhythm may waver by `off`. */
const keys = (text: string, every: number, off = 0): Key[] =>
  [...text].map((key, index) => ({ key, code: codeOf(key), shift: /[A-Z~_]/.test(key), at: 1000 + index * every + (index % 2 ? off : -off) }))
const codeOf = (key: string): string =>
  /[a-z]/i.test(key) ? `Key${key.toUpperCase()}` : /\d/.test(key) ? `Digit${key}` : ({ '-': 'Minus', '/': 'Slash', '~': 'Backquote', '.': 'Period' }[key] ?? '')

describe('a scan', () => {
  it('is told by its rhythm, fast, slow and wavering', () => {
    for (const code of ['TW-0412', 'KS6708072', 'LOT-12', '5CG/81-A.2', 'ВОЛНА-7781']) {
      for (const every of [1, 12, 25, 40, 60]) expect(isScan(keys(code, every)), `${code} every ${every}`).toBe(true)
      expect(isScan(keys(code, 45, 15)), code).toBe(true)
    }
  })
  it('is not a hand, however quick', () => {
    for (const text of ['16', 'n256', '41.2/57', 'standoff', 'scratched', 'TW-0412'])
      for (const every of [95, 120, 180]) expect(isScan(keys(text, every)), text).toBe(false)
    for (const text of ['p', 'a', 'xx', '8 ', 'ok']) expect(isScan(keys(text, 10)), text).toBe(false)
    for (const text of ['see bin 9', '8 GB, new', 'scratched', 'received']) expect(isScan(keys(text, 70)), text).toBe(false)
    for (const text of ['standoff torn out', 'Quay kiosk']) expect(isScan(keys(text, 2)), text).toBe(false)
    for (const text of ['over', 'm 8 8', 'lid ok']) expect(isScan(keys(text, 45)), text).toBe(text === 'm 8 8')
  })
  it('may have blanks and any mark in it, and no figure', () => {
    for (const code of ['bin C-09', 'WIFI:T:WPA;S:quay;P:salt and iron;;', '{"sn": "K9+2, x"}', 'https://shop.example/?id=5', 'BEGIN:VCARD'])
      for (const every of [1, 25, 45, 60]) expect(isScan(keys(code, every)), `${code} every ${every}`).toBe(true)
  })
  it('is told by fewer keys where nobody writes: a person presses one, or two', () => {
    for (const code of ['PALA', 'HARBOUR', 'tide']) for (const every of [1, 45, 80]) expect(isScan(keys(code, every), true), code).toBe(true)
    for (const text of ['p', 'pa', 'pal']) expect(isScan(keys(text, 45), true), text).toBe(false)
    expect(isScan(keys('tide', 95), true)).toBe(false)
    expect(isScan(keys('pppppp', 45), true)).toBe(false)
  })
  it('has no pause in it', () => {
    const broken = keys('TW-0412', 10).map((key, index) => (index > 3 ? { ...key, at: key.at + GAP_MS + 10 } : key))
    expect(isScan(broken)).toBe(false)
  })
  it('may be a word of two letters where the mark of the printed sheet leads it', () => {
    expect(isScan(keys('~m', 60))).toBe(true)
    expect(isScan(keys('~', 1))).toBe(false)
  })
  it('is read as the scanner meant it where the keyboard writes otherwise', () => {
    const french: Key[] = [
      { key: 'L', code: 'KeyL', shift: true, at: 0 },
      { key: 'O', code: 'KeyO', shift: true, at: 20 },
      { key: 'T', code: 'KeyT', shift: true, at: 40 },
      { key: ')', code: 'Minus', shift: false, at: 60 },
      { key: '&', code: 'Digit1', shift: false, at: 80 },
      { key: 'é', code: 'Digit2', shift: false, at: 100 },
    ]
    expect(readings(french)).toEqual(['LOT)&é', 'LOT-12'])
    expect(isScan(french)).toBe(true)
    const cyrillic: Key[] = [...'TW'].map((key, index) => ({ key: key === 'T' ? 'Е' : 'Ц', code: `Key${key}`, shift: true, at: index * 20 }))
    expect(readings(cyrillic)[1]).toBe('TW')
    expect(readings(keys('TW-0412', 10))).toEqual(['TW-0412'])
  })
})

describe('a key', () => {
  it('begins a code where it writes something', () => {
    for (const key of [' ', 'Enter', 'Escape', 'ArrowUp']) expect(mayBegin(key), key).toBe(false)
    for (const key of ['7', '+', ',', '=', ';', '?', '-', '/', 'ж', '{']) expect(mayBegin(key), key).toBe(true)
  })
})

describe('what is typed into a place', () => {
  it('stays an entry at any speed, and no code is one', () => {
    for (const entry of ['16', 'n256', 'n256 93%', 'p lit', '41.2/57', '3600/5000mah', '612c', '93%', 'lit', 'touch', '-', 'x', '=', 'p,', '8=', ';']) expect(isEntry(entry), entry).toBe(true)
    for (const code of ['TW-0412', 'KS6708072', 'LOT-12', '8459245', '5CG/81', 'bin 12', 'bin C-09', '=<DIN0001', 'WIFI:T:WPA;S:quay;;']) expect(isEntry(code), code).toBe(false)
  })
})
