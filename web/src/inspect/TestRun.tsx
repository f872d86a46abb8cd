import { useState } from 'react'
import type { Schemas } from '../api/client'
import { Peg } from '../drawings/strip/shapes'
import { useKeys } from '../frame/keys'
import { Mark } from '../api/vocabulary'

interface Props {
  cells: Schemas['StripCell'][]
  repairs: Schemas['RepairFact'][]
  onType: (key: string, text: string) => void
  onAll: () => void
  onClose: () => void
  onSearch: () => void
}

/** The function tests one after another, one key each, with what a failure would mean. */
export function TestRun({ cells, repairs, onType, onAll, onClose, onSearch }: Props) {
  const [at, setAt] = useState(() => Math.max(0, cells.findIndex((cell) => cell.mark === Mark.UNSEEN)))
  const cell = cells[at]
  const [how, setHow] = useState<string | null>(null)
  const repair = repairs.find((one) => one.test === cell?.key)
  const say = (text: string): void => {
    if (!cell) return
    onType(cell.key, text)
    setHow(null)
    setAt(Math.min(cells.length, at + 1))
  }
  const over = cell ? '' : 'all were asked'
  useKeys('Test run', [
    { key: ' ', does: 'seen working', act: () => say('+'), off: over },
    { key: '+', does: 'seen working', act: () => say('+'), off: over },
    { key: 'x', does: 'failed', act: () => say('x'), off: over },
    { key: ',', does: 'works poorly, and how', act: () => setHow(''), off: over },
    { key: 'ArrowLeft', does: 'the test before', act: () => setAt(Math.max(0, at - 1)) },
    { key: 'ArrowRight', does: 'leave this one out', act: () => setAt(Math.min(cells.length, at + 1)) },
    { key: 'a', does: 'all others work', act: () => { onAll(); onClose() } },
    { key: 'Enter', does: 'back to the strip', act: onClose },
    { key: 'Escape', does: 'back to the strip', act: onClose },
  ])
  return (
    <section aria-label="Test run" className="mb-3 bg-base-100 border border-base-300 p-4">
      <ol className="flex flex-wrap gap-x-4 gap-y-1 mb-3 text-sm">
        {cells.map((one, index) => (
          <li key={one.key} className={`flex items-center gap-1.5 ${index === at ? 'font-bold' : 'quiet'}`} aria-current={index === at ? 'step' : undefined}>
            <svg width="14" height="14" aria-hidden="true"><Peg cell={one} cx={7} cy={7} r={5.5} /></svg>
            {one.label}
          </li>
        ))}
      </ol>
      {cell ? (
        <div className="flex items-center gap-6">
          <div className="grow">
            <p className="text-3xl font-bold leading-tight">{cell.label}</p>
            <p className="quiet">{cell.words} · a failure means: {repair?.words ?? 'ask the sheet'}</p>
            {cell.key === 'starts' && cell.mark === Mark.FAULTY && <button type="button" className="underline fitink" onClick={onSearch}>Search why it does not start</button>}
          </div>
          <button type="button" className="btn btn-primary btn-bench" onClick={() => say('+')}>Works <kbd>Space</kbd></button>
          <button type="button" className="btn btn-outline btn-bench" onClick={() => say('x')}>Failed <kbd>X</kbd></button>
          {how === null ? <button type="button" className="btn btn-outline btn-bench" onClick={() => setHow('')}>Works poorly <kbd>,</kbd></button> : (
            <form className="flex items-center gap-2" onSubmit={(event) => { event.preventDefault(); if (how.trim()) say(`p ${how.trim()}`) }}>
              <input autoFocus aria-label={`How ${cell.label} works poorly`} className="input input-bench w-40" maxLength={40} placeholder="dim, tinny, stiff" value={how} onChange={(event) => setHow(event.currentTarget.value)} onKeyDown={(event) => { if (event.key === 'Escape') { event.stopPropagation(); setHow(null) } }} />
              <button type="submit" className="btn btn-primary btn-bench" disabled={!how.trim()}>Note it <kbd>Enter</kbd></button>
            </form>
          )}
          <button type="button" className="btn btn-ghost btn-bench" onClick={() => { onAll(); onClose() }}>The rest works <kbd>A</kbd></button>
        </div>
      ) : (
        <p className="text-xl">All {cells.length} were asked. <button type="button" className="underline" onClick={onClose}>Back to the strip</button> <kbd>Enter</kbd></p>
      )}
    </section>
  )
}
