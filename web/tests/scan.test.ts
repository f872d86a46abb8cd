import { describe, expect, it } from 'vitest'
import { GAP_MS, type Key, isEntry, isScan, mayBeCode, readings } from '../src/frame/scan'

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
  it('is part of no code where it is a mark of its own, and of any where a figure stands there', () => {
    for (const [key, code] of [['=', 'Equal'], [';', 'Semicolon'], [',', 'Comma'], [' ', 'Space'], ['Enter', 'Enter'], ['+', 'BracketRight']] as const) expect(mayBeCode(key, code), key).toBe(false)
    for (const [key, code] of [['7', 'Digit7'], ['+', 'Digit1'], [',', 'KeyM'], ['-', 'Minus'], ['/', 'Slash'], ['ж', 'Semicolon']] as const) expect(mayBeCode(key, code), key).toBe(true)
  })
})

describe('what is typed into a place', () => {
  it('stays an entry at any speed, and no code is one', () => {
    for (const entry of ['16', 'n256', '41.2/57', '3600/5000mah', '612c', '93%', 'lit', 'touch', '-', 'x']) expect(isEntry(entry), entry).toBe(true)
    for (const code of ['TW-0412', 'KS6708072', 'LOT-12', '8459245', '5CG/81']) expect(isEntry(code), code).toBe(false)
  })
})
