import { useRef, useState } from 'react'
import { Link } from 'react-router'
import { type Schemas, problemOf } from '../api/client'
import { Strip } from '../drawings/strip/Strip'
import { useScan } from '../frame/ScanListener'
import { termsOf } from '../frame/sum'
import { money, sees, signed } from '../frame/words'
import { whereabouts } from './LayReady'
import type { BenchState } from './useBench'
import { FetchState, Money, OrderState } from '../api/vocabulary'
import { labelOf } from '../frame/vocabulary'

const INK: Record<string, string> = { ready: '', confirmed: 'doneink font-semibold', fitted: 'doneink' }

/** Beside the step: parts with their scan, where things go, before and after, the sum. */
export function Aside({ bench, view, done }: { bench: BenchState; view: Schemas['WorkView']; done: number }) {
  const { outcome } = view
  return (
    <aside aria-label="Screws and parts" className="border-l border-base-300 pl-5 pr-7 pt-4 pb-6 max-lg:border-l-0">
      <h2 className="mb-1">Fetch</h2>
      {view.fetch.length === 0 && <p className="quiet text-note">Nothing to fetch.</p>}
      <ul>
        {view.fetch.map((part) => (
          <li key={part.for_place + part.label} className="rule-b py-2">
            <p className="font-semibold leading-tight">{part.label}</p>
            <p className="text-sm quiet">for {part.for_place}</p>
            <p className={`text-sm ${INK[part.state] ?? 'fitink font-semibold'}`}>
              {part.lot ? <>{part.where} {part.state === FetchState.TO_BE_TRIED ? <Link className="tag underline" to={`/stock?filter=${part.lot}`}>{part.lot}</Link> : <span className="tag">{part.lot}</span>}{part.state === FetchState.READY ? '' : `, ${labelOf('FetchState', part.state)}`}</> : part.here ? labelOf('FetchState', part.state) : whereabouts(part)}
            </p>
          </li>
        ))}
      </ul>
      {view.state === OrderState.OPEN && view.fetch.some((part) => part.lot) && <ScanPart bench={bench} />}
      {view.goes_to.length > 0 && (
        <>
          <h2 className="mt-5 mb-1">What comes out goes to</h2>
          <ul className="text-note">
            {view.goes_to.map((part) => <li key={part.place} className="rule-b py-1">{part.label}<br /><span className="quiet">{part.words}</span></li>)}
          </ul>
        </>
      )}
      <h2 className="mt-5 mb-1">As found, as it will be</h2>
      <Strip strip={view.found} size="line" />
      <Strip strip={view.planned} size="line" />
      {!view.closing && sees(Money.RESULTS) && (
        <>
          <h2 className="mt-5 mb-1">What this leaves</h2>
          <table className="text-note w-full">
            <tbody>
              {termsOf(outcome).map(([name, cents]) => (
                <tr key={name}><td>{name}</td><td className="text-right cents">{money(cents)}</td></tr>
              ))}
              <tr className="rule-t font-bold"><td>leaves</td><td className="text-right">{signed(outcome.contribution_cents)}</td></tr>
            </tbody>
          </table>
        </>
      )}
      {view.surprises.length > 0 && (
        <>
          <h2 className="mt-5 mb-1">Noted</h2>
          <ul className="text-sm">{view.surprises.map((note) => <li key={note.at} className="py-1">Step {note.step}: {note.sentence} {note.words && `“${note.words}”`} <span className="quiet">{note.by}</span></li>)}</ul>
        </>
      )}
      <details className="mt-5 text-note">
        <summary className="cursor-pointer">All {view.work.steps.length} steps as a list</summary>
        <ol className="list-decimal pl-6 mt-1">
          {view.work.steps.map((step, index) => <li key={step.key} className={index < done ? 'line-through quiet' : ''}>{step.title}</li>)}
        </ol>
      </details>
    </aside>
  )
}

const LOT = /^lot-\d+$/i

function ScanPart({ bench }: { bench: BenchState }) {
  const [code, setCode] = useState('')
  const [refusal, setRefusal] = useState<unknown>(null)
  const field = useRef<HTMLInputElement>(null)
  const scan = async (text: string, instead = false): Promise<void> => {
    if (!text.trim()) return
    setCode('')
    field.current?.blur()
    setRefusal(await bench.scan(text, instead))
  }
  useScan((codes) => {
    const lot = codes.find((one) => LOT.test(one))
    if (lot) void scan(lot)
    return Boolean(lot)
  })
  const problem = refusal ? problemOf(refusal) : null
  const instead = typeof problem?.facts.instead === 'string' ? problem.facts.instead : ''
  return (
    <form className="mt-3" onSubmit={(event) => { event.preventDefault(); void scan(code) }}>
      <label className="text-sm">
        Scan each part before it goes in
        <input ref={field} data-codes="" className="input input-bordered w-full h-11" placeholder="LOT-12" value={code} onChange={(event) => { setCode(event.target.value); setRefusal(null) }} />
      </label>
      {problem && (
        <div role="alert" className="border-l-4 border-accent bg-base-100 px-3 py-2 mt-2 text-note">
          <b>{problem.title}.</b> {problem.detail}
          {instead && <button type="button" className="btn btn-outline btn-sm mt-2" onClick={() => void scan(instead, true)}>Take it from this lot</button>}
        </div>
      )}
    </form>
  )
}
