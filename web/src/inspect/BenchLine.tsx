import { useEffect, useRef, useState } from 'react'
import { type Schemas, api, ask, problemOf } from '../api/client'
import { useScan } from '../frame/ScanListener'
import { isText, keepBegun, useBegun } from '../frame/begun'
import { WORD_MARK } from '../frame/scan'

interface Props {
  tag: string
  trim: string
  sheet: string
  entries: Record<string, string>
  onTake: (entries: Record<string, string>, trim: string) => void
  onKeep: (entries: Record<string, string>, trim: string, enough: boolean) => void
  onUndo: () => void
  /** The unit as the line would make it, for the strip; null while the line is blank. */
  onEcho: (view: Schemas['LineView'] | null) => void
  onClose: () => void
  /** Words that were scanned before the line was open. */
  begun: string
}

const READ_AFTER_MS = 30
const placeOf = (tag: string): string => `line.${tag}`
/** Scanned words that end the line. */
const COMMANDS = new Set(['~keep', '~undo'])

/** One text line that logs a whole unit; every word says what it was taken for. */
export function BenchLine({ tag, trim, sheet, entries, onTake, onKeep, onUndo, onEcho, onClose, begun }: Props) {
  const [text, setText] = useBegun(placeOf(tag), '', isText)
  const [said, setSaid] = useState<Schemas['LineView'] | null>(null)
  const [refusal, setRefusal] = useState('')
  const [chosen, setChosen] = useState(0)
  const field = useRef<HTMLInputElement>(null)
  const turn = useRef(0)
  useEffect(() => field.current?.focus(), [])
  // biome-ignore lint/correctness/useExhaustiveDependencies: once, for what was scanned before the line was open
  useEffect(() => { if (begun) add(begun) }, [])

  const read = async (line: string, caret: number): Promise<Schemas['LineView'] | null> => {
    const now = ++turn.current
    try {
      const view = await ask(api.POST('/api/units/{tag}/line', { params: { path: { tag } }, body: { text: line, caret, trim, entries } }))
      if (now === turn.current) {
        setSaid(view)
        onEcho(line.trim() ? view : null)
        setChosen(0)
      }
      setRefusal('')
      return view
    } catch (error) {
      setRefusal(problemOf(error).detail)
      return null
    }
  }
  // biome-ignore lint/correctness/useExhaustiveDependencies: it runs when what it names changes, not at every drawing
  useEffect(() => {
    const timer = setTimeout(() => void read(text, field.current?.selectionStart ?? text.length), READ_AFTER_MS)
    return () => clearTimeout(timer)
  }, [text, trim, entries])

  const add = (words: string): void => setText((now) => `${now}${now && !now.endsWith(' ') ? ' ' : ''}${words}`)
  const complete = (word: string): void => {
    const caret = field.current?.selectionStart ?? text.length
    const before = text.slice(0, caret).replace(/\S*$/, '')
    setText(() => `${before}${word} ${text.slice(caret).trimStart()}`)
    field.current?.focus()
  }
  useScan((codes) => {
    const word = codes.find((one) => one.startsWith(WORD_MARK))
    if (!word) return false
    // The line goes on, and the next code may come at once.
    if (COMMANDS.has(word)) void enter(`${text} ${word}`)
    else add(`${word} `)
    return true
  })
  /** Lays a line over the strip; with `end` the unit is kept as well, if nothing in it is unclear. */
  const enter = async (line: string, end?: 'all seen' | 'enough seen'): Promise<void> => {
    const view = await read(line, line.length)
    if (!view) return
    const { command, words } = view.line
    if (command === 'undo') {
      onUndo()
      setText(() => '')
    } else if ((command === 'keep' || end) && !words.some((word) => word.kind === 'unclear')) {
      keepBegun(placeOf(tag), null)
      onKeep(view.entries, view.trim, end === 'enough seen')
    } else if (line.trim() && !words.some((word) => word.kind === 'unclear')) {
      onTake(view.entries, view.trim)
      setText(() => '')
    }
  }
  const words = said?.line.words ?? []
  const offered = said?.completions ?? []
  return (
    <section aria-label="Bench line" className="mb-3">
      <input
        ref={field}
        className="input input-bordered w-full h-11 font-mono text-lg bg-base-100"
        aria-label="Bench line"
        data-codes=""
        aria-describedby="line-said"
        autoComplete="off"
        spellCheck={false}
        placeholder="m 8 - / s n256 / b 33/41 620c / miss caddy / fail cam / g b / ok / keep"
        value={text}
        onChange={(event) => setText(() => event.target.value)}
        onKeyDown={(event) => {
          if (event.key === 'Enter') {
            event.preventDefault()
            if (!event.repeat) void enter(text, event.ctrlKey || event.metaKey ? 'all seen' : event.shiftKey ? 'enough seen' : undefined)
          } else if (event.key === 'Escape') onClose()
          else if (event.key === 'Tab' && offered[chosen] && !event.shiftKey) {
            event.preventDefault()
            complete(offered[chosen].text)
          } else if (event.key === 'ArrowDown' || event.key === 'ArrowUp') {
            event.preventDefault()
            const step = event.key === 'ArrowDown' ? 1 : -1
            setChosen((now) => Math.max(0, Math.min(offered.length - 1, now + step)))
          } else if (event.key === 'z' && event.ctrlKey && !text) onUndo()
        }}
      />
      <div id="line-said" className="flex flex-wrap gap-x-1.5 gap-y-1 mt-1.5 min-h-7 items-baseline" aria-live="polite">
        {words.map((word) => (
          <span key={`${word.start}`} className={`font-mono px-1 ${word.kind === 'unclear' ? 'border-2 border-accent fitink font-bold' : word.kind === 'head' ? 'font-bold' : 'bg-base-100'}`}>
            {text.slice(word.start, word.end)}
          </span>
        ))}
        {words.length === 0 && <span className="quiet text-note">Enter lays it over the strip · Tab completes · Esc closes · <a className="underline" href={`/api/units/codes/${sheet}.pdf`} target="_blank" rel="noreferrer">sheet of scan codes</a></span>}
      </div>
      {refusal && <p role="alert" className="fitink">{refusal}</p>}
      <ul className="text-note">
        {words.filter((word) => word.kind === 'unclear').map((word) => <li key={word.start} className="fitink font-semibold">{word.words}</li>)}
      </ul>
      {words.length > 0 && <p className="text-note quiet">{[...new Set(words.filter((word) => word.kind !== 'unclear' && word.words).map((word) => word.words))].join(' · ')}</p>}
      {offered.length > 0 && (
        <ul className="flex flex-wrap gap-2 mt-1.5" aria-label="What may stand here">
          {offered.map((one, index) => (
            <li key={one.text}>
              <button type="button" className={`border px-2 py-1 text-sm pointer-coarse:py-2.5 ${index === chosen ? 'border-base-content bg-base-100' : 'border-base-300'}`} onClick={() => complete(one.text)} tabIndex={-1}>
                <b className="font-mono">{one.text}</b> <span className="quiet">{one.words}</span>
              </button>
            </li>
          ))}
        </ul>
      )}
    </section>
  )
}
