import { useEffect, useState } from 'react'
import { type Schemas, api, ask } from '../api/client'
import { Curve } from '../drawings/balance/Curve'
import { hours, roundMoney } from '../frame/words'
import type { Turned } from './useBalance'

interface Props {
  slug: string
  dials: Turned
  data: Schemas['DecideView']
  currency: string
  onTurn: (dials: Turned) => void
}

const STEP_CENTS = 1000
const STEP_MINUTES = 30
const LEAST_TOP_CENTS = 60_000
const LEAST_TOP_MINUTES = 1200
const CURVE_AFTER_MS = 600

const GOALS: [Turned['goal'], string][] = [
  ['contribution', 'contribution'],
  ['most units ready', 'most ready'],
  ['least spend', 'least spend'],
  ['orders first', 'orders first'],
]
const SCHOOLS: { [K in School]: [string, [Schemas['Policy'][K], string][]] } = {
  memory_ceiling: ['Ceiling', [['stated', 'stated by the maker'], ['bench-proven', 'bench-proven too']]],
  filling: ['Slots', [['matched pair', 'matched pairs'], ['largest for the money', 'largest for the money']]],
  harvest: ['Harvest', [['use after test', 'used after test'], ['new for the top standard', 'new for the top standard'], ['new only', 'new parts only']]],
  spinning: ['Disks', [['never', 'spinning disks never'], ['second drive in the lowest standard', 'as second drive in the lowest']]],
  battery: ['Packs', [['health', 'by health'], ['runtime', 'by hours of runtime']]],
  board: ['Boards', [['by contribution', 'swapped where it pays'], ['never swap', 'never swapped']]],
  isolation: ['Pack', [['out where the route passes over it', 'out where work is over it'], ['only unplugged', 'only unplugged'], ['always out', 'always out']]],
  switch_off: ['Switch off', [['off in the firmware where the model has it', 'in the firmware first'], ['just unplugged', 'just unplugged']]],
  prying: ['Prying', [['as on the model sheet', 'as on the sheet'], ['hinge side', 'hinge side'], ['lifted by captive screws', 'where captive screws lift'], ['far corner', 'far corner']]],
  screws: ['Screws', [['a well for each set where lengths differ', 'wells where lengths differ'], ['a well for each set', 'a well for each set'], ['sorted by kind', 'sorted by kind']]],
}
type School = 'memory_ceiling' | 'filling' | 'harvest' | 'spinning' | 'battery' | 'board' | 'isolation' | 'switch_off' | 'prying' | 'screws'
/** Schools of the bench; they change how units are opened more than what becomes of them. */
const AT_BENCH: School[] = ['isolation', 'switch_off', 'prying', 'screws']
const SKILLS: [string, string][] = [['board work', 'Board work'], ['setting up', 'Setting up'], ['cleaning', 'Cleaning']]

/** What the planner can turn: goal, money with its curve, hours, limits of single skills, schools. */
export function Dials({ slug, dials, data, currency, onTurn }: Props) {
  const points = useCurve(slug, dials, data)
  const slider = (label: string, value: number, step: number, top: number, shown: string, set: (value: number) => void) => (
    <label className="grid grid-cols-[5.5rem_1fr_4rem] items-center gap-2 min-h-9 text-[0.9375rem]">
      {label}
      <input
        type="range"
        className="range range-xs [--range-fill:1]"
        min={0}
        max={Math.max(top, value)}
        step={step}
        value={value}
        aria-valuetext={shown}
        onChange={(event) => set(Number(event.target.value))}
      />
      <b className="text-right">{shown}</b>
    </label>
  )
  const limit = (skill: string, minutes: number | null): void => {
    const skills = { ...dials.skills }
    if (minutes === null) delete skills[skill]
    else skills[skill] = minutes
    onTurn({ ...dials, skills })
  }
  const school = (key: School) => {
    const [label, choices] = SCHOOLS[key]
    return (
      <label key={key} className="grid grid-cols-[5.5rem_1fr] items-center gap-2 min-h-10 text-[0.9375rem]">
        {label}
        <select className="select select-sm h-8 w-full bg-base-100 text-sm" value={dials.policy[key]} onChange={(event) => onTurn({ ...dials, policy: { ...dials.policy, [key]: event.target.value } })}>
          {choices.map(([value, words]) => <option key={value} value={value}>{words}</option>)}
        </select>
      </label>
    )
  }
  const topMoney = Math.max(LEAST_TOP_CENTS, data.money_cents, points.at(-1)?.money_cents ?? 0)
  return (
    <section aria-label="What you can turn">
      <h2 className="mb-1">What you can turn</h2>
      <label className="grid grid-cols-[5.5rem_1fr] items-center gap-2 min-h-9 text-[0.9375rem]">
        Best at
        <select className="select select-sm h-8 w-full bg-base-100 text-sm font-semibold" value={dials.goal} onChange={(event) => onTurn({ ...dials, goal: event.target.value as Turned['goal'] })}>
          {GOALS.map(([goal, words]) => <option key={goal} value={goal}>{words}</option>)}
        </select>
      </label>
      {slider('Money', dials.money_cents, STEP_CENTS, topMoney, roundMoney(dials.money_cents, currency), (value) => onTurn({ ...dials, money_cents: value }))}
      {data.live && <Curve points={points} money={dials.money_cents} currency={currency} onPick={(value) => onTurn({ ...dials, money_cents: value })} />}
      {slider('Bench hours', dials.bench_minutes, STEP_MINUTES, Math.max(LEAST_TOP_MINUTES, data.bench_minutes), hours(dials.bench_minutes), (value) => onTurn({ ...dials, bench_minutes: value }))}
      {SKILLS.filter(([skill]) => skill in dials.skills).map(([skill, label]) => (
        <div key={skill} className="flex items-center gap-1">
          <div className="grow">{slider(label, dials.skills[skill] ?? 0, STEP_MINUTES, LEAST_TOP_MINUTES / 2, hours(dials.skills[skill] ?? 0), (value) => limit(skill, value))}</div>
          <button className="quiet px-1" aria-label={`No limit for ${label.toLowerCase()}`} onClick={() => limit(skill, null)}>×</button>
        </div>
      ))}
      {SKILLS.some(([skill]) => !(skill in dials.skills)) && (
        <select className="select select-sm h-8 w-full bg-base-200 quiet mb-1 text-sm" aria-label="Limit a skill" value="" onChange={(event) => limit(event.target.value, 240)}>
          <option value="">limit a skill …</option>
          {SKILLS.filter(([skill]) => !(skill in dials.skills)).map(([skill, label]) => <option key={skill} value={skill}>{label}</option>)}
        </select>
      )}
      {(Object.keys(SCHOOLS) as School[]).filter((key) => !AT_BENCH.includes(key)).map(school)}
      <details className="text-[0.9375rem]">
        <summary className="cursor-pointer py-1.5">How units are opened</summary>
        {AT_BENCH.map(school)}
        {slider('Cooling', dials.policy.cooling_minutes, 1, 5, `${dials.policy.cooling_minutes} min`, (value) => onTurn({ ...dials, policy: { ...dials.policy, cooling_minutes: value } }))}
      </details>
      <p className="quiet text-sm mt-1">The batch has {roundMoney(data.money_cents, currency)} and {hours(data.bench_minutes)} left.</p>
    </section>
  )
}

/** The curve under all dials but the money, drawn once the hand rests. */
function useCurve(slug: string, dials: Turned, data: Schemas['DecideView']): Schemas['CurvePoint'][] {
  const [points, setPoints] = useState<Schemas['CurvePoint'][]>([])
  const others = JSON.stringify({ ...dials, money_cents: 0, wishes: [data.pins, data.orders], at: [data.waiting, data.standing] })
  useEffect(() => {
    if (!data.live || data.waiting + data.standing === 0) return
    let gone = false
    const timer = setTimeout(() => {
      ask(api.POST('/api/batches/{slug}/plan/curve', { params: { path: { slug } }, body: dials }))
        .then((found) => { if (!gone) setPoints(found) })
        // Wishes that clash are told beside the plan; without a plan there is no curve.
        .catch(() => { if (!gone) setPoints([]) })
    }, CURVE_AFTER_MS)
    return () => {
      gone = true
      clearTimeout(timer)
    }
    // The money does not change the curve.
  }, [slug, others, data.live])
  return points
}
