import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { type Schemas, api, ask, lostOf } from '../api/client'
import { FieldKind, Money } from '../api/vocabulary'
import { ProblemNote } from '../frame/Problem'
import { didAtOnce } from '../frame/Undo'
import { count, currencySign, sees } from '../frame/words'
import { Effect, ofStandards } from './Effect'
import { History } from './History'
import { standardsQuery } from './standards'

type Gate = Record<string, unknown> & { type: string }
type Step = { gate: Gate; adds_cents: number; sheets: string[] }
interface Draft {
  key: string
  name: string
  rank: number
  retired: boolean
  gates: Gate[]
  steps: Step[]
  prices: unknown[]
}

const draftOf = (standard: Schemas['Standard']): Draft => JSON.parse(JSON.stringify(standard)) as Draft
const keyOf = (name: string): string => name.toLowerCase().replace(/[^a-z0-9]+/g, '-').replace(/^-+|-+$/g, '').slice(0, 60)

/** Resale standards: gates in order, steps of the price beyond them, what a change would do. */
export function Standards() {
  const query = useQuery(standardsQuery)
  const [open, setOpen] = useState<string | null>(null)
  if (lostOf(query)) return <ProblemNote error={query.error} />
  const view = query.data
  if (!view) return null
  const shown = view.standards.find((one) => one.standard.key === open) ?? view.standards[0]
  const fresh: Draft = { key: '', name: '', rank: view.standards.length, retired: false, gates: [], steps: [], prices: [] }
  const making = open === '' || view.standards.length === 0
  return (
    <div className="grid grid-cols-[15rem_minmax(0,1fr)] gap-10 max-lg:grid-cols-1">
      <section>
        <h1 className="mb-2">Standards</h1>
        {view.standards.length === 0 && <p className="mb-3">There is none yet. A standard says what a unit must be like to be sold under its name; its prices come next.</p>}
        <ul>
          {view.standards.map(({ standard }) => (
            <li key={standard.key}>
              <button type="button" className={`w-full text-left py-2 px-3 rule-b ${!making && shown?.standard.key === standard.key ? 'current-row font-bold' : 'hover:bg-base-100'}`} onClick={() => setOpen(standard.key)}>
                {standard.name}<span className="block quiet font-normal text-note">{count(standard.gates.length, 'gate')}, {count(standard.prices.length, 'price')}</span>
              </button>
            </li>
          ))}
        </ul>
        <button type="button" className="btn btn-outline btn-bench mt-3 w-full" onClick={() => setOpen('')}>A new standard</button>
        {view.retired.length > 0 && <p className="quiet mt-3 text-note">No longer in use: {view.retired.join(', ')}.</p>}
      </section>
      {making
        ? <Editor key="new" view={view} draft={fresh} version={0} history={[]} onDone={setOpen} />
        : shown && <Editor key={`${shown.standard.key} ${shown.standard.version}`} view={view} draft={draftOf(shown.standard)} version={shown.standard.version} history={shown.history} onDone={setOpen} />}
    </div>
  )
}

interface EditorProps {
  view: Schemas['StandardsView']
  draft: Draft
  version: number
  history: Schemas['KeptVersion'][]
  onDone: (key: string) => void
}

function Editor({ view, draft, version, history, onDone }: EditorProps) {
  const queries = useQueryClient()
  const [now, setNow] = useState(draft)
  const [error, setError] = useState<unknown>(null)
  const changed = JSON.stringify(now) !== JSON.stringify(draft)
  const document = { ...now, key: now.key || keyOf(now.name), version: Math.max(1, version) }
  const gate = (type: string): Schemas['GateChoice'] | undefined => view.gates.find((one) => one.type === type)
  const put = async (wanted: unknown, from: number): Promise<Schemas['StandardsView']> => {
    const kept = await ask(api.PUT('/api/furnish/standards', { body: { document: wanted as Record<string, unknown>, started_from: from, words: '' } }))
    queries.setQueryData(standardsQuery.queryKey, kept)
    void queries.invalidateQueries({ queryKey: ['plan'] })
    return kept
  }
  const save = async (wanted: typeof document): Promise<void> => {
    try {
      await put(wanted, version)
      setError(null)
      onDone(wanted.key)
      didAtOnce(`${wanted.name} is kept as version ${version + 1}.`, async () => {
        await put(version ? { ...draft, version } : { ...wanted, retired: true }, version + 1)
        return `${wanted.name} is as it was before; both versions stay in its history.`
      })
    } catch (refusal) {
      setError(refusal)
    }
  }
  const move = (at: number, by: number): void => {
    const gates = [...now.gates]
    const [one] = gates.splice(at, 1)
    if (one) gates.splice(at + by, 0, one)
    setNow({ ...now, gates })
  }
  const look = async (earlier: number): Promise<void> => {
    try {
      setNow((await ask(api.GET('/api/furnish/versions/{kind}/{key}/{version}', { params: { path: { kind: 'standards', key: draft.key, version: earlier } } }))) as unknown as Draft)
    } catch (refusal) {
      setError(refusal)
    }
  }
  return (
    <form className="grid grid-cols-[minmax(0,1fr)_20rem] gap-10 max-xl:grid-cols-1 content-start" onSubmit={(event) => { event.preventDefault(); void save(document) }}>
      <div>
        <div className="flex flex-wrap gap-3 items-end mb-4">
          <label className="grow">Name<input className="input w-full h-11 bg-base-100 font-bold" required maxLength={60} value={now.name} onChange={(event) => setNow({ ...now, name: event.target.value })} /></label>
          <label>Rank, the lowest first<input type="number" min={0} max={99} className="input w-24 h-11 bg-base-100 block" value={now.rank} onChange={(event) => setNow({ ...now, rank: Number(event.target.value) })} /></label>
        </div>
        <h2 className="mb-1">What a unit must be like</h2>
        <ol>
          {now.gates.map((one, at) => (
            <li key={`${one.type} ${at}`} className="rule-t py-2 flex max-sm:flex-wrap items-center gap-3 min-h-14">
              <span className="w-36 shrink-0 font-semibold">{gate(one.type)?.question ?? one.type}</span>
              <span className="grow flex flex-wrap gap-x-4 gap-y-2"><Fields gate={one} choice={gate(one.type)} onChange={(next) => setNow({ ...now, gates: now.gates.map((other, n) => (n === at ? next : other)) })} /></span>
              {gate(one.type)?.always
                ? <span className="quiet text-note">in every standard</span>
                : (
                  <>
                    <button type="button" className="btn btn-ghost btn-sm" disabled={at === 0} aria-label={`${gate(one.type)?.question} earlier`} onClick={() => move(at, -1)}>↑</button>
                    <button type="button" className="btn btn-ghost btn-sm" disabled={at === now.gates.length - 1} aria-label={`${gate(one.type)?.question} later`} onClick={() => move(at, 1)}>↓</button>
                    <button type="button" className="underline quiet whitespace-nowrap" onClick={() => setNow({ ...now, gates: now.gates.filter((_, n) => n !== at) })}>take off</button>
                  </>
                )}
            </li>
          ))}
        </ol>
        <select className="select h-11 bg-base-100 mt-1 mb-6" aria-label="Add a gate" value="" onChange={(event) => { const choice = gate(event.target.value); if (choice) setNow({ ...now, gates: [...now.gates, { ...(choice.examples[0] ?? {}), type: choice.type }] }) }}>
          <option value="">add a gate …</option>
          {view.gates.filter((one) => !one.always).map((one) => <option key={one.type} value={one.type}>{one.question}</option>)}
        </select>
        <h2 className="mb-1">Beyond the gates, a unit that also has this sells for more</h2>
        <ol>
          {sees(Money.PRICES) && now.steps.map((step, at) => {
            const set = (next: Step): void => setNow({ ...now, steps: now.steps.map((other, n) => (n === at ? next : other)) })
            return (
              <li key={`${step.gate.type} ${at}`} className="rule-t py-2 flex max-sm:flex-wrap items-center gap-3 min-h-14">
                <span className="w-36 shrink-0 font-semibold">{gate(step.gate.type)?.question}</span>
                <Fields gate={step.gate} choice={gate(step.gate.type)} onChange={(next) => set({ ...step, gate: next })} />
                <label className="flex items-center gap-2">adds {currencySign()}<input type="number" min={0.01} step="0.01" className="input w-24 h-10 bg-base-100 text-right" value={step.adds_cents / 100} onChange={(event) => set({ ...step, adds_cents: Math.round(Number(event.target.value) * 100) })} /></label>
                <span className="grow" />
                <button type="button" className="underline quiet whitespace-nowrap" onClick={() => setNow({ ...now, steps: now.steps.filter((_, n) => n !== at) })}>take off</button>
              </li>
            )
          })}
        </ol>
        <select className="select h-11 bg-base-100 mt-1 mb-6" aria-label="Add a step of the price" value="" onChange={(event) => { const choice = gate(event.target.value); if (choice) setNow({ ...now, steps: [...now.steps, { gate: { ...(choice.examples.at(-1) ?? {}), type: choice.type }, adds_cents: 1000, sheets: [] }] }) }}>
          <option value="">add a step …</option>
          {view.gates.filter((one) => one.fields.length > 0).map((one) => <option key={one.type} value={one.type}>{one.question}</option>)}
        </select>
        <ProblemNote error={error} />
        <div className="flex flex-wrap gap-3 mb-4">
          <button type="submit" className="btn btn-primary btn-bench" disabled={!changed}>Keep</button>
          <button type="button" className="btn btn-ghost btn-bench" disabled={!changed} onClick={() => setNow(draft)}>Put back</button>
          <span className="grow" />
          {version > 0 && <button type="button" className="btn btn-ghost btn-bench font-normal underline" onClick={() => void save({ ...document, retired: true })}>Use it no more</button>}
        </div>
        <History history={history} onBack={(earlier) => void look(earlier)} />
      </div>
      <Effect call={ofStandards} asked={changed && now.name ? { documents: [document as Record<string, unknown>], prices: [] } : null} />
    </form>
  )
}

/** The fields of one gate, whatever gate it is. */
function Fields({ gate, choice, onChange }: { gate: Gate; choice: Schemas['GateChoice'] | undefined; onChange: (next: Gate) => void }) {
  return (choice?.fields ?? []).map((field) => {
    const value = gate[field.name]
    const set = (next: unknown): void => onChange({ ...gate, [field.name]: next })
    const words = `${choice?.question}: ${field.label}`
    if (field.kind === FieldKind.WHOLE || field.kind === FieldKind.NUMBER) {
      return (
        <label key={field.name} className="flex items-center justify-between gap-2 w-56">{field.label}
          <input type="number" aria-label={words} required={field.needed} step={field.kind === FieldKind.WHOLE ? 1 : 0.1} className="input w-20 h-10 bg-base-100 text-right" value={typeof value === 'number' ? value : ''} onChange={(event) => set(event.target.value === '' ? null : Number(event.target.value))} />
        </label>
      )
    }
    if (field.kind === FieldKind.ONE_OF) {
      return <select key={field.name} aria-label={words} className="select h-10 w-48 bg-base-100" value={String(value ?? '')} onChange={(event) => set(event.target.value)}>{(field.options ?? []).map(({ code, label }) => <option key={code} value={code}>{label}</option>)}</select>
    }
    const several = Array.isArray(value) ? value.map(String) : []
    if (field.kind === FieldKind.SOME_OF) {
      return (
        <span key={field.name} className="flex flex-wrap gap-1.5 items-center">
          {several.map((code) => <button type="button" key={code} className="border border-base-content px-2 h-9" aria-label={`take off ${code}`} onClick={() => set(several.filter((other) => other !== code))}>{field.options?.find((one) => one.code === code)?.label ?? code} ×</button>)}
          <select aria-label={words} className="select h-9 w-28 bg-base-100" value="" onChange={(event) => { if (event.target.value) set([...several, event.target.value]) }}>
            <option value="">or …</option>
            {(field.options ?? []).filter((one) => !several.includes(one.code)).map(({ code, label }) => <option key={code} value={code}>{label}</option>)}
          </select>
        </span>
      )
    }
    return <label key={field.name} className="flex items-center gap-2">{field.label}<input aria-label={words} className="input w-44 h-10 bg-base-100" defaultValue={several.join(' ')} onBlur={(event) => set(event.target.value.split(/[\s,]+/).filter(Boolean))} /></label>
  })
}
