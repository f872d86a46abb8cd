/**
 * A scan is never a key. What types fast and evenly is told from a person by its rhythm, and its
 * code is taken as a whole to where codes go; no letter of it acts. Apart from the page, so that it
 * can be tried without one.
 */

/** A slow wireless scanner sends a key every 25 to 60 ms; a page that is busy adds a little. */
export const GAP_MS = 85
/** Faster than any hand. */
const FAST_MS = 35
/** On average no hand writes words faster, and no scanner is slower. */
const QUICK_MS = 62
/** A code of fewer letters is not told from typing. */
const LEAST = 5
const LEAST_FAST = 4
const LEAST_WORDS = 8
/** Stands before every word of the printed sheet of entry codes. */
export const WORD_MARK = '~'

export interface Key {
  key: string
  /** The key's place on the keyboard, whatever is printed on it. */
  code: string
  shift: boolean
  /** When it was pressed, in ms. */
  at: number
}

/**
 * Whether keys pressed so are a scan.
 *
 * @param outside where nobody writes: there a person presses one key, or two, and never rolls over four.
 */
export function isScan(keys: readonly Key[], outside = false): boolean {
  const first = keys[0]
  const last = keys[keys.length - 1]
  if (!first || !last || keys.length < 2) return false
  const gaps = keys.slice(1).map((key, index) => key.at - (keys[index] as Key).at)
  if (Math.max(...gaps) > GAP_MS) return false
  const even = (last.at - first.at) / gaps.length
  if (first.key === WORD_MARK) return true
  // One key pressed again and again is a hand in a hurry.
  if (outside) return keys.length >= LEAST_FAST && keys.some(({ key }) => key !== first.key)
  const figure = readings(keys).some((text) => /\d/.test(text))
  // Where words are written, figures with a blank or a comma between them are typed as well; and a
  // few words without either are what some program writes out for a person.
  const written = keys.map(({ key }) => key).join('')
  const apart = /[\s=;,+?]/.test(written)
  if (figure && !apart && even > FAST_MS) return keys.length >= LEAST
  if (!figure && / /.test(written) && !/[:;=<>{}|\\/]/.test(written)) return false
  if (even <= FAST_MS) return keys.length >= (figure ? LEAST_FAST : LEAST + 1)
  return even <= QUICK_MS && keys.length >= (figure ? LEAST : LEAST_WORDS)
}

const SHIFTED: Record<string, string> = { Minus: '_', Equal: '+', Slash: '?', Backquote: '~', Semicolon: ':', Quote: '"', Comma: '<', Period: '>' }
const PLAIN: Record<string, string> = { Minus: '-', Equal: '=', Slash: '/', Backquote: '`', Semicolon: ';', Quote: "'", Comma: ',', Period: '.', NumpadSubtract: '-', NumpadDivide: '/', NumpadDecimal: '.', NumpadAdd: '+' }
const FIGURES_SHIFTED = ')!@#$%^&*('

/** What the key writes on the keyboard that scanners are made for. */
function byPlace({ key, code, shift }: Key): string {
  const letter = /^Key([A-Z])$/.exec(code)?.[1]
  if (letter) return shift ? letter : letter.toLowerCase()
  const figure = /^(?:Digit|Numpad)(\d)$/.exec(code)?.[1]
  if (figure) return shift && code.startsWith('Digit') ? (FIGURES_SHIFTED[Number(figure)] ?? figure) : figure
  return (shift ? SHIFTED[code] : undefined) ?? PLAIN[code] ?? key
}

/** The code as this keyboard writes it and, where that differs, as the scanner meant it. */
export function readings(keys: readonly Key[]): string[] {
  const written = keys.map((one) => one.key).join('')
  const meant = keys.map(byPlace).join('')
  return written === meant ? [written] : [written, meant]
}

/** Whether a code may begin with a key: with any that writes something. Within it a blank may stand, too. */
export const mayBegin = (key: string): boolean => key.length === 1 && key !== ' '

/** What somebody types into a place of the strip, however fast; long bare numbers are no entry. */
const ENTRY = /^(?:[nseh]?\d{1,5}(?:[.,]\d+)?(?:\/\d+(?:[.,]\d+)?)?(?:wh|mah|gb?|tb?|c|v|%)?|[a-z?!+-]{1,5})$/i

/**
 * Several words are one where the first is a size or a letter; a place of the store begins with a word. Keys that
 * act between them, which take over, say how, or open the line, are none of it.
 */
export const isEntry = (text: string): boolean => {
  const words = text.split(' ')
  const typed = words.flatMap((word) => word.split(/[=,;]/)).filter(Boolean)
  return typed.every((word) => ENTRY.test(word)) && (words.length === 1 || /\d|^.$/.test(words[0] ?? ''))
}
