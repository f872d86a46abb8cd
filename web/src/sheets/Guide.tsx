import { useQuery } from '@tanstack/react-query'
import { type ReactNode, useEffect, useRef, useState } from 'react'
import { type Schemas, api, ask } from '../api/client'
import { Connector, Depth, type ListName, Tool } from '../api/vocabulary'
import { ProblemNote } from '../frame/Problem'
import { choicesOf, headingOf, labelOf } from '../frame/vocabulary'

type Answers = Schemas['SheetAnswers']
type Step = Schemas['StepAnswer']

interface Props {
  document: unknown
  onChange: (document: Schemas['ModelSheet']) => void
}

const ANSWER_AFTER_MS = 150

/** The questions that matter first of a model, each answered by picking; what they do not touch stays as it is. */
export function Guide({ document, onChange }: Props) {
  const kinds = useQuery({ queryKey: ['kinds'], queryFn: () => ask(api.GET('/api/furnish/kinds')) })
  const [asked, setAsked] = useState<Schemas['Asks'] | null>(null)
  const [answers, setAnswers] = useState<Answers | null>(null)
  const [error, setError] = useState<unknown>(null)
  const newest = useRef(document)
  newest.current = document
  const turn = useRef(0)
  const timer = useRef(0)
  // Read once when it opens; after that the answers lead.
  useEffect(() => {
    const read = async (): Promise<void> => {
      try {
        const first = await ask(api.POST('/api/sheets/guide', { body: { document: newest.current as Record<string, unknown>, trim: '' } }))
        setAsked(first.asks)
        setAnswers(first.asks.answers)
      } catch (refusal) {
        setError(refusal)
      }
    }
    void read()
    return () => clearTimeout(timer.current)
  }, [])
  if (!asked || !answers) return <ProblemNote error={error} />
  const answer = (part: Partial<Answers>): void => {
    const next = { ...answers, ...part }
    setAnswers(next)
    const now = ++turn.current
    clearTimeout(timer.current)
    timer.current = window.setTimeout(async () => {
      try {
        const told = await ask(api.POST('/api/sheets/guide/answer', { body: { document: newest.current as Record<string, unknown>, answers: next } }))
        if (now !== turn.current) return
        setError(null)
        setAsked(told.asks)
        setAnswers(told.asks.answers)
        onChange(told.document)
      } catch (refusal) {
        if (now === turn.current) setError(refusal)
      }
    }, ANSWER_AFTER_MS)
  }
  const named = kinds.data?.kinds.filter((kind) => kind.facts.type === 'part') ?? []
  const fresh = (letter: string, keys: string[]): string => {
    let number = 1
    while (keys.includes(`${letter}${number}`)) number += 1
    return `${letter}${number}`
  }
  const usual = (kind: string) => asked.sockets.find((one) => one.kind === kind)
  /** As most models have it; standoffs that were said stay where the kind has some. */
  const socketOf = (kind: string, lengths: number[]) => {
    const most = usual(kind)
    return { kind: kind as Schemas['SocketKind'], lengths_mm: most?.lengths_mm.length && lengths.length ? lengths : (most?.usual_mm ?? []), limit_gb: most?.limit_gb ?? 1 }
  }
  const picked = new Set(answers.steps.map((step) => step.key))
  const title = (key: string): string => asked.steps.find((step) => step.key === key)?.title ?? key
  return (
    <div className="grid gap-6 py-4 max-w-5xl">
      <ProblemNote error={error} />
      <Question n={1} words="What is it?">
        <Pick label="Form" words="MachineForm" value={answers.form} onPick={(form) => answer({ form: form as Answers['form'] })} />
      </Question>
      <Question n={2} words="What memory does it take?">
        <Pick label="Generation" words="Generation" value={answers.generation} onPick={(generation) => answer({ generation: generation as Answers['generation'] })} />
        <div className="flex flex-wrap gap-4 items-end mt-2">
          <Figures label="Soldered, GB" value={answers.soldered_gb} onPut={(soldered_gb) => answer({ soldered_gb })} />
          <Amount label="Slots" value={answers.slots} most={8} onPut={(slots) => answer({ slots })} />
          <Amount label="Each up to GB" value={answers.slot_gb} least={1} onPut={(slot_gb) => answer({ slot_gb })} />
          <Amount label="All together up to GB" value={answers.most_gb} least={1} onPut={(most_gb) => answer({ most_gb })} />
          <label className="text-sm">known from<select className="select h-11 w-44 bg-base-100 flex" value={answers.ceiling_source} onChange={(event) => answer({ ceiling_source: event.target.value as Answers['ceiling_source'] })}>{choicesOf('FactSource').map(([code, words]) => <option key={code} value={code}>{words}</option>)}</select></label>
        </div>
      </Question>
      <Question n={3} words="Where do drives go?">
        {answers.sockets.map((socket, at) => {
          const set = (part: Partial<Schemas['SocketAnswer']>): void => answer({ sockets: answers.sockets.map((one, n) => (n === at ? { ...one, ...part } : one)) })
          const lengths = socket.lengths_mm ?? []
          const offered = usual(socket.kind)?.lengths_mm ?? []
          return (
            <div key={socket.key} className="flex flex-wrap gap-3 items-end rule-b py-2">
              <label className="text-sm">{socket.key}<select aria-label={`Kind of ${socket.key}`} className="select h-11 w-44 bg-base-100 flex" value={socket.kind} onChange={(event) => set(socketOf(event.target.value, lengths))}>{choicesOf('SocketKind').map(([code, words]) => <option key={code} value={code}>{words}</option>)}</select></label>
              {offered.length > 0 && (
                <fieldset className="flex gap-1"><legend className="text-sm">{labelOf('Connector', Connector.M2)} standoffs</legend>
                  {[...new Set([...offered, ...lengths])].sort((a, b) => a - b).map((mm) => <Chip key={mm} on={lengths.includes(mm)} onTurn={(on) => set({ lengths_mm: on ? [...lengths, mm].sort((a, b) => a - b) : lengths.filter((other) => other !== mm) })}>{mm}</Chip>)}
                </fieldset>
              )}
              <Amount label="up to GB" value={socket.limit_gb} least={1} onPut={(limit_gb) => set({ limit_gb })} />
              <button type="button" className="underline quiet py-2" onClick={() => answer({ sockets: answers.sockets.filter((_, n) => n !== at) })}>take it out</button>
            </div>
          )
        })}
        <p className="flex flex-wrap gap-2 mt-2">{choicesOf('SocketKind').map(([code, words]) => <button type="button" key={code} className="btn btn-outline btn-bench font-normal" onClick={() => answer({ sockets: [...answers.sockets, { key: fresh('d', answers.sockets.map((one) => one.key)), ...socketOf(code, []) }] })}>+ {words}</button>)}</p>
      </Question>
      <Question n={4} words="What packs does it carry?">
        {answers.packs.map((pack, at) => {
          const set = (part: Partial<Schemas['PackAnswer']>): void => answer({ packs: answers.packs.map((one, n) => (n === at ? { ...one, ...part } : one)) })
          return (
            <div key={pack.key} className="flex flex-wrap gap-3 items-end rule-b py-2">
              <span className="h-11 flex items-center w-24">{pack.external ? 'external' : 'built in'}</span>
              <Amount label="design Wh" value={pack.design_wh} least={1} any onPut={(design_wh) => set({ design_wh })} />
              <Amount label="volts" value={pack.volts} least={1} any onPut={(volts) => set({ volts })} />
              <button type="button" className="underline quiet py-2" onClick={() => answer({ packs: answers.packs.filter((_, n) => n !== at) })}>take it out</button>
            </div>
          )
        })}
        <p className="flex gap-2 mt-2">{[false, true].map((external) => <button type="button" key={String(external)} className="btn btn-outline btn-bench font-normal" onClick={() => answer({ packs: [...answers.packs, { key: fresh('p', answers.packs.map((one) => one.key)), external, design_wh: 50, volts: 11.4 }] })}>+ {external ? 'an external pack' : 'a built-in pack'}</button>)}</p>
      </Question>
      <Question n={5} words="What belongs to a complete unit?">
        <p className="flex flex-wrap gap-1 mb-2">{answers.parts.map((key) => <Chip key={key} on onTurn={() => answer({ parts: answers.parts.filter((other) => other !== key) })}>{named.find((kind) => kind.key === key)?.label ?? key} ×</Chip>)}</p>
        <select className="select h-11 w-72 bg-base-100" aria-label="Add a part" value="" onChange={(event) => { if (event.target.value) answer({ parts: [...answers.parts, event.target.value] }) }}>
          <option value="">add a part of the store …</option>
          {named.filter((kind) => !answers.parts.includes(kind.key)).map((kind) => <option key={kind.key} value={kind.key}>{kind.label}</option>)}
        </select>
      </Question>
      <Question n={6} words="What is tried on it?">
        <p className="flex flex-wrap gap-1">{asked.tests.map(({ key, label }) => <Chip key={key} on={answers.tests.includes(key)} onTurn={(on) => answer({ tests: on ? [...answers.tests, key] : answers.tests.filter((other) => other !== key) })}>{label}</Chip>)}</p>
      </Question>
      <Question n={7} words="How does it open?">
        <div className="grid grid-cols-[minmax(0,1fr)_minmax(0,1.5fr)] gap-6 max-lg:grid-cols-1">
          <div>
            <p className="quiet mb-1">Pick what you do, in turn:</p>
            {Object.values(Depth).map((depth) => {
              const steps = asked.steps.filter((step) => step.depth === depth && !picked.has(step.key))
              return steps.length > 0 && (
                <div key={depth} className="flex gap-2 rule-t py-1">
                  <span className="w-16 quiet shrink-0 py-1.5">{labelOf('Depth', depth)}</span>
                  <span className="grow">{steps.map((step) => <button type="button" key={step.key} className="block text-left underline py-1.5 w-full" title={step.how} onClick={() => answer({ steps: placed(answers.steps, asked.steps, step) })}>{step.title}</button>)}</span>
                </div>
              )
            })}
          </div>
          <ol aria-label="The way in">
            {answers.steps.length === 0 && <li className="quiet py-1.5">Nothing picked yet.</li>}
            {answers.steps.map((step, at) => {
              const set = (part: Partial<Step>): void => answer({ steps: answers.steps.map((one, n) => (n === at ? { ...one, ...part } : one)) })
              const move = (by: number): void => answer({ steps: moved(answers.steps, at, by) })
              const offered = asked.steps.find((one) => one.key === step.key)
              return (
                <li key={step.key} className="rule-t py-1.5 flex flex-wrap gap-x-3 items-center">
                  <b className="w-6">{at + 1}</b>
                  <span className="grow min-w-48">{title(step.key)} <span className="quiet text-sm">{offered && labelOf('Depth', offered.depth)}</span></span>
                  {(offered?.screws || (step.screws ?? 0) > 0) && (
                    <span className="flex gap-2 items-center">
                      <Amount bare label={`Screws of ${title(step.key)}`} value={step.screws ?? 0} most={60} onPut={(screws) => set({ screws })} /> ×
                      <Amount bare label={`Length of ${title(step.key)}, mm`} value={step.length_mm ?? 5} least={0.5} any onPut={(length_mm) => set({ length_mm })} /> mm
                      <select aria-label={`Bit of ${title(step.key)}`} className="select h-11 w-40 bg-base-100" value={step.drive || Tool.PH1} onChange={(event) => set({ drive: event.target.value })}>{choicesOf('Tool').map(([code, words]) => <option key={code} value={code}>{words}</option>)}</select>
                    </span>
                  )}
                  <span className="whitespace-nowrap">
                    <button type="button" className="btn btn-ghost btn-sm min-h-11" disabled={at === 0} aria-label={`Earlier: ${title(step.key)}`} onClick={() => move(-1)}>↑</button>
                    <button type="button" className="btn btn-ghost btn-sm min-h-11" disabled={at === answers.steps.length - 1} aria-label={`Later: ${title(step.key)}`} onClick={() => move(1)}>↓</button>
                    <button type="button" className="btn btn-ghost btn-sm min-h-11" aria-label={`Leave out: ${title(step.key)}`} onClick={() => answer({ steps: answers.steps.filter((_, n) => n !== at) })}>×</button>
                  </span>
                </li>
              )
            })}
          </ol>
        </div>
      </Question>
      <Question n={8} words="After which step is each reached?">
        <div className="grid grid-cols-2 gap-x-8 max-lg:grid-cols-1">
          {asked.places.map(({ key, label }) => (
            <label key={key} className="flex items-center gap-3 rule-b py-1"><span className="grow">{label}</span>
              <select className="select h-11 w-60 bg-base-100" value={answers.reached[key] ?? ''} onChange={(event) => answer({ reached: { ...answers.reached, [key]: event.target.value } })}>
                <option value="">nobody said yet</option>
                <option value={asked.outside}>from outside, nothing opened</option>
                {answers.steps.map((step, at) => <option key={step.key} value={step.key}>{at + 1} {title(step.key)}</option>)}
              </select>
            </label>
          ))}
        </div>
        {answers.steps.length > 0 && asked.places.some(({ key }) => !answers.reached[key]) && (
          <button type="button" className="underline py-2" onClick={() => { const last = answers.steps.at(-1)?.key ?? ''; answer({ reached: { ...Object.fromEntries(asked.places.map(({ key }) => [key, last])), ...answers.reached } }) }}>All others after step {answers.steps.length}</button>
        )}
      </Question>
    </div>
  )
}

/** A step that was picked stands after the last one that lies no deeper. */
const placed = (steps: Step[], offered: Schemas['OfferedStep'][], step: Schemas['OfferedStep']): Step[] => {
  const depths = Object.values(Depth) as string[]
  const depth = (key: string): number => depths.indexOf(offered.find((one) => one.key === key)?.depth ?? '')
  const after = steps.reduce((last, one, at) => (depth(one.key) <= depth(step.key) ? at + 1 : last), 0)
  return [...steps.slice(0, after), { key: step.key, screws: 0, drive: '', length_mm: 5 }, ...steps.slice(after)]
}

const moved = (steps: Step[], at: number, by: number): Step[] => {
  const rest = [...steps]
  const [one] = rest.splice(at, 1)
  if (one) rest.splice(at + by, 0, one)
  return rest
}

function Question({ n, words, children }: { n: number; words: string; children: ReactNode }) {
  return (
    <section aria-label={words} className="grid grid-cols-[2.5rem_minmax(0,1fr)] rule-t pt-3">
      <b className="text-2xl quiet">{n}</b>
      <div><h2 className="mb-2">{words}</h2>{children}</div>
    </section>
  )
}

function Pick({ label, words, value, onPick }: { label: string; words: ListName; value: string; onPick: (code: string) => void }) {
  return (
    <div role="radiogroup" aria-label={label} className="flex flex-wrap gap-1">
      {choicesOf(words).map(([code]) => (
        <label key={code} className={`min-h-11 px-4 flex items-center border cursor-pointer ${value === code ? 'border-base-content bg-base-content text-base-100' : 'border-base-300 bg-base-100'}`}>
          <input type="radio" className="sr-only" name={label} checked={value === code} onChange={() => onPick(code)} />{headingOf(words, code)}
        </label>
      ))}
    </div>
  )
}

function Chip({ on, onTurn, children }: { on: boolean; onTurn: (on: boolean) => void; children: ReactNode }) {
  return <button type="button" aria-pressed={on} className={`min-h-11 px-3 border ${on ? 'border-base-content bg-base-100 font-semibold' : 'border-base-300 quiet'}`} onClick={() => onTurn(!on)}>{children}</button>
}

interface AmountProps {
  label: string
  value: number
  least?: number
  most?: number
  /** Also in parts. */
  any?: boolean
  bare?: boolean
  onPut: (value: number) => void
}

/** A figure; what is no figure yet is not answered with. */
function Amount({ label, value, least = 0, most = 999_999, any = false, bare = false, onPut }: AmountProps) {
  const [typed, setTyped] = useState<string | null>(null)
  const read = (text: string): number | null => {
    const number = Number(text.replace(',', '.'))
    return text.trim() !== '' && Number.isFinite(number) && number >= least && number <= most && (any || Number.isInteger(number)) ? number : null
  }
  const field = (
    <input className={`input h-11 w-24 bg-base-100 ${typed !== null && read(typed) === null ? 'input-error' : ''}`} inputMode="decimal" aria-label={label} aria-invalid={typed !== null && read(typed) === null} value={typed ?? String(value)} onFocus={(event) => event.target.select()} onBlur={() => setTyped(null)} onChange={(event) => {
      setTyped(event.target.value)
      const number = read(event.target.value)
      if (number !== null) onPut(number)
    }} />
  )
  return bare ? field : <div className="text-sm">{label}<span className="block">{field}</span></div>
}

function Figures({ label, value, onPut }: { label: string; value: number[]; onPut: (value: number[]) => void }) {
  const [typed, setTyped] = useState<string | null>(null)
  const read = (text: string): number[] | null => {
    const figures = text.split(/[,;\s]+/).filter(Boolean).map(Number)
    return figures.every((figure) => Number.isInteger(figure) && figure > 0) ? figures : null
  }
  return (
    <div className="text-sm">{label}<input className="input h-11 w-32 bg-base-100 block" placeholder="none" aria-label={label} value={typed ?? value.join(', ')} onBlur={() => setTyped(null)} onChange={(event) => {
      setTyped(event.target.value)
      const figures = read(event.target.value)
      if (figures) onPut(figures)
    }} /></div>
  )
}
