import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { type Schemas, api, ask, lostOf } from '../api/client'
import { ProblemNote } from '../frame/Problem'
import { didAtOnce } from '../frame/Undo'
import { choicesOf, explained, labelOf, schoolQuestions } from '../frame/vocabulary'
import { currencySign, reloadWorkshop, sees } from '../frame/words'
import { type ListName, Money } from '../api/vocabulary'
import { Effect, ofSchools } from './Effect'
import { History } from './History'

type Document = Schemas['WorkshopSettings']
type Policy = Document['policy']

/** Costs of the policy that are written as money of the workshop, or in minutes. */
const COSTS: [keyof Policy, string, 'money' | 'minutes' | 'units'][] = [
  ['labour_cents_per_hour', 'An hour of work', 'money'],
  ['hold_cents', 'A unit on the shelf until the next plan', 'money'],
  ['recycle_cents', 'A unit to the recycler', 'money'],
  ['pack_disposal_cents', 'A replaced pack to whoever is licensed', 'money'],
  ['matched_premium_cents', 'Both channels in full are worth at most', 'money'],
  ['install_minutes', 'To install the operating system', 'minutes'],
  ['part_test_minutes', 'To try a part of a unit that does not start', 'minutes'],
  ['cleaning_minutes', 'To clean a unit for sale', 'minutes'],
  ['cooling_minutes', 'To let a laptop cool before it is opened', 'minutes'],
  ['bench_proven_from_units', 'A bench-proven ceiling counts from', 'units'],
]

/** The workshop itself: name, money, tags, the schools and costs that new batches begin with. */
export function Settings() {
  const query = useQuery({ queryKey: ['settings'], queryFn: () => ask(api.GET('/api/furnish/settings')) })
  if (lostOf(query)) return <ProblemNote error={query.error} />
  return query.data ? <Form key={query.data.version} view={query.data} /> : null
}

type Setter = <Name extends keyof Document>(name: Name, value: Document[Name]) => void

/** What waits on the shelf becomes cheaper by these steps. */
function Aging({ now, set }: { now: Document; set: Setter }) {
  const steps = now.age_steps
  const change = (at: number, part: Partial<Schemas['AgeStep']>): void => set('age_steps', steps.map((one, index) => (index === at ? { ...one, ...part } : one)))
  const last = steps.at(-1)
  return (
    <fieldset className="grid gap-2">
      <legend className="font-semibold">Prices of what waits on the shelf</legend>
      {steps.length === 0 && <p className="quiet">They stay as they are.</p>}
      {steps.map((step, at) => (
        <p key={at} className="flex flex-wrap items-center gap-2">
          after <input type="number" required min={1} max={3650} className="input h-10 w-20 bg-base-100 text-right" aria-label={`Days of step ${at + 1}`} value={step.days} onChange={(event) => change(at, { days: Number(event.target.value) })} /> days
          <input type="number" required min={1} max={90} className="input h-10 w-20 bg-base-100 text-right" aria-label={`Percent off by step ${at + 1}`} value={step.percent} onChange={(event) => change(at, { percent: Number(event.target.value) })} /> % less
          <button type="button" className="underline quiet" onClick={() => set('age_steps', steps.filter((_, index) => index !== at))}>take off</button>
        </p>
      ))}
      {steps.length < 6 && <button type="button" className="underline quiet justify-self-start" onClick={() => set('age_steps', [...steps, { days: (last?.days ?? 0) + 30, percent: Math.min(90, (last?.percent ?? 0) + 10) }])}>a step more</button>}
    </fieldset>
  )
}

type Size = Schemas['LabelSize']

const BLANK: Size = { key: '', name: '', width_mm: 62, height_mm: 29, columns: 1, rows: 1 }
const MEASURES = [['width_mm', 'mm wide'], ['height_mm', 'mm high'], ['columns', 'across'], ['rows', 'down']] as const

/** The sizes that tags and labels are printed in: the usual ones, and the workshop's own. */
function LabelSizes({ now, usual, set }: { now: Document; usual: Size[]; set: Setter }) {
  const own = now.own_labels
  const all = [...usual, ...own.filter((size) => size.key)]
  const change = (at: number, size: Size): void => set('own_labels', own.map((one, index) => (index === at ? size : one)))
  const choice = (name: 'unit_label' | 'door_label', words: string) => (
    <label>{words}<select className="select w-full h-11 bg-base-100" value={now[name]} onChange={(event) => set(name, event.target.value)}>{all.map((size) => <option key={size.key} value={size.key}>{size.name}</option>)}</select></label>
  )
  return (
    <fieldset className="grid gap-2">
      <legend className="font-semibold">Labels</legend>
      <div className="grid grid-cols-2 gap-3">
        {choice('door_label', 'Tags at the door')}
        {choice('unit_label', 'Labels at release')}
      </div>
      {own.map((size, at) => (
        <div key={at} className="flex flex-wrap items-end gap-2 rule-t pt-2" role="group" aria-label={`Own label ${size.name || at + 1}`}>
          <label className="text-sm">Name<input className="input h-10 w-36 bg-base-100 block" required maxLength={60} value={size.name} onChange={(event) => change(at, { ...size, name: event.target.value, key: event.target.value.toLowerCase().replace(/[^a-z0-9]+/g, '-').replace(/^-+|-+$/g, '').slice(0, 40) })} /></label>
          {MEASURES.map(([name, words]) => (
            <label key={name} className="text-sm">{words}<input type="number" required min={name.endsWith('mm') ? 10 : 1} step={name.endsWith('mm') ? 0.1 : 1} className="input h-10 w-16 bg-base-100 block" value={size[name]} onChange={(event) => change(at, { ...size, [name]: Number(event.target.value) })} /></label>
          ))}
          <button type="button" className="btn btn-ghost btn-sm" onClick={() => set('own_labels', own.filter((_, index) => index !== at))}>Take off</button>
        </div>
      ))}
      <button type="button" className="underline quiet justify-self-start" onClick={() => set('own_labels', [...own, BLANK])}>a size of your own</button>
    </fieldset>
  )
}

function Form({ view }: { view: Schemas['SettingsView'] }) {
  const queries = useQueryClient()
  const [now, setNow] = useState<Document>(view.settings)
  const [error, setError] = useState<unknown>(null)
  const changed = JSON.stringify(now) !== JSON.stringify(view.settings)
  const set = <Name extends keyof Document>(name: Name, value: Document[Name]): void => setNow({ ...now, [name]: value })
  const rule = <Name extends keyof Policy>(name: Name, value: Policy[Name]): void => set('policy', { ...now.policy, [name]: value })
  const keep = async (document: Document, from: number): Promise<number> => {
    const kept = await ask(api.PUT('/api/furnish/settings', { body: { document: { ...document } as Record<string, unknown>, started_from: from, words: '' } }))
    await reloadWorkshop()
    queries.setQueryData(['settings'], kept)
    await queries.invalidateQueries()
    return kept.version
  }
  const save = async (): Promise<void> => {
    try {
      const version = await keep(now, view.version)
      setError(null)
      didAtOnce('The workshop is kept.', async () => {
        await keep(view.settings, version)
        return 'The workshop is as it was before; both versions stay in its history.'
      })
    } catch (refusal) {
      setError(refusal)
    }
  }
  const look = async (version: number): Promise<void> => {
    try {
      setNow((await ask(api.GET('/api/furnish/versions/{kind}/{key}/{version}', { params: { path: { kind: 'settings', key: 'workshop', version } } }))) as unknown as Document)
    } catch (refusal) {
      setError(refusal)
    }
  }
  return (
    <form className="grid grid-cols-[minmax(0,26rem)_minmax(0,1fr)] gap-x-12 gap-y-6 max-lg:grid-cols-1" onSubmit={(event) => { event.preventDefault(); void save() }}>
      <section className="grid gap-3 content-start">
        <h1>The workshop</h1>
        <label>Name<input className="input w-full h-11 bg-base-100" required maxLength={80} value={now.name} onChange={(event) => set('name', event.target.value)} /></label>
        <div className="grid grid-cols-2 gap-3">
          <label>Currency<input className="input w-full h-11 bg-base-100" required maxLength={3} value={now.currency} onChange={(event) => set('currency', event.target.value.toUpperCase())} /></label>
          <label>New tags begin with<input className="input w-full h-11 bg-base-100" required maxLength={4} value={now.tag_prefix} onChange={(event) => set('tag_prefix', event.target.value.toUpperCase())} /></label>
        </div>
        <label>Language and country of dates and figures<input className="input w-full h-11 bg-base-100" maxLength={20} placeholder="as each browser does" value={now.locale} onChange={(event) => set('locale', event.target.value)} /></label>
        <label>What was bought is put at<input className="input w-full h-11 bg-base-100" maxLength={60} value={now.arrivals_place} onChange={(event) => set('arrivals_place', event.target.value)} /></label>
        <label>Your own rules for damaged packs; they stand beside our caution
          <textarea className="textarea w-full bg-base-100 text-base" rows={3} maxLength={600} value={now.hazard_rules} onChange={(event) => set('hazard_rules', event.target.value)} />
        </label>
        <label>Your own rules for what goes to the recycler; they stand where it is weighed
          <textarea className="textarea w-full bg-base-100 text-base" rows={2} maxLength={600} value={now.recycling_rules} onChange={(event) => set('recycling_rules', event.target.value)} />
        </label>
        <label>Address, for papers
          <textarea className="textarea w-full bg-base-100 text-base" rows={3} maxLength={300} value={now.address} onChange={(event) => set('address', event.target.value)} />
        </label>
        <label>Weights in<select className="select w-full h-11 bg-base-100" value={now.weighing} onChange={(event) => set('weighing', event.target.value as Document['weighing'])}>{choicesOf('Weighing').map(([code, label]) => <option key={code} value={code}>{label}</option>)}</select></label>
        <Aging now={now} set={set} />
        <LabelSizes now={now} usual={view.usual_labels} set={set} />
        <label>This Sortis is reached from outside at<input className="input w-full h-11 bg-base-100" maxLength={120} placeholder="https://shop.example" value={now.public_address} onChange={(event) => set('public_address', event.target.value)} /></label>
        <label className="flex gap-2.5 items-start"><input type="checkbox" className="checkbox mt-0.5" checked={now.public_pages} onChange={(event) => set('public_pages', event.target.checked)} /><span>Whoever has the code of a label may open the buyer’s page of that unit <span className="quiet block">What it is, its battery, marks and remarks; no serial number, no cost, nobody’s name.</span></span></label>
        <label className="flex gap-2.5 items-start"><input type="checkbox" className="checkbox mt-0.5" checked={now.money_open} onChange={(event) => set('money_open', event.target.checked)} /><span>Everyone who signs in sees all money <span className="quiet block">Else by role: {view.money.map(({ money, roles }) => `${labelOf('Money', money)} ${roles.map((role) => labelOf('Role', role)).join(', ')}`).join('; ')}.</span></span></label>
        <label>What is no evidence is forgotten after<span className="flex items-center gap-2"><input type="number" className="input w-28 h-11 bg-base-100" required min={7} max={3650} value={now.forget_days} onChange={(event) => set('forget_days', Number(event.target.value))} /> days</span>
          <span className="quiet block">{view.forgotten.map((code) => labelOf('Forgotten', code)).join('; ')}.</span>
        </label>
        <label>Names of buyers and customers are forgotten after<span className="flex items-center gap-2"><input type="number" className="input w-28 h-11 bg-base-100" required min={365} max={36500} value={now.forget_buyer_days} onChange={(event) => set('forget_buyer_days', Number(event.target.value))} /> days</span>
          <span className="quiet block">Counted from the end of their sale, which stays with its price and steps; of who ordered from a batch, from its closing. How long a name must or may be kept is a matter of local law.</span>
        </label>
        <ProblemNote error={error} />
        <div className="flex gap-3">
          <button type="submit" className="btn btn-primary btn-bench" disabled={!changed}>Keep</button>
          <button type="button" className="btn btn-ghost btn-bench" disabled={!changed} onClick={() => setNow(view.settings)}>Put back</button>
        </div>
        <History history={view.history} onBack={(version) => void look(version)} />
      </section>
      <section>
        <h2 className="mb-1">Costs that new batches begin with</h2>
        <div className="grid grid-cols-2 gap-x-8 gap-y-2 max-sm:grid-cols-1 mb-6">
          {COSTS.filter(([, , unit]) => unit !== 'money' || sees(Money.RESULTS)).map(([name, words, unit]) => (
            <label key={name} className="flex items-center gap-3">
              <span className="grow basis-0">{words}</span>
              <input
                type="number"
                min={0}
                step={unit === 'money' ? '0.01' : unit === 'minutes' ? '0.5' : '1'}
                className="input w-24 shrink-0 h-10 bg-base-100 text-right"
                value={unit === 'money' ? Number(now.policy[name]) / 100 : Number(now.policy[name])}
                onChange={(event) => rule(name, (unit === 'money' ? Math.round(Number(event.target.value) * 100) : Number(event.target.value)) as never)}
              />
              <span className="quiet w-10 shrink-0">{unit === 'money' ? currencySign(now.currency.length === 3 ? now.currency : undefined) : unit === 'minutes' ? 'min' : 'units'}</span>
            </label>
          ))}
        </div>
        <h2 className="mb-1">Where good people disagree</h2>
        <p className="quiet mb-2">A batch may be decided otherwise: turn its dials at Decide.</p>
        {JSON.stringify(now.policy) !== JSON.stringify(view.settings.policy) && (
          <div className="bg-base-100 border-l-4 border-accent px-4 py-3 mb-3"><Effect asked={now.policy} call={ofSchools} note="New batches begin so. Open ones keep what they are decided by; if they took this over, too:" /></div>
        )}
        {schoolQuestions().map((one) => (
          <fieldset key={one.field} className="rule-t py-2 grid grid-cols-[11rem_minmax(0,1fr)] gap-4 max-sm:grid-cols-1">
            <legend className="sr-only">{one.question}</legend>
            <p className="font-semibold" aria-hidden="true">{one.question}</p>
            <div className="grid gap-1">
              {choicesOf(one.schools as ListName).map(([code, label]) => (
                <label key={code} className="flex gap-2.5 items-start">
                  <input type="radio" className="radio radio-sm mt-0.5" name={one.field} checked={now.policy[one.field as keyof Policy] === code} onChange={() => rule(one.field as keyof Policy, code as never)} />
                  <span>{label} <span className="quiet">{explained(one.schools as ListName, code)}</span></span>
                </label>
              ))}
            </div>
          </fieldset>
        ))}
      </section>
    </form>
  )
}
