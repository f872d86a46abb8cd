import type { Schemas } from '../api/client'
import { hours, roundMoney } from '../frame/words'

export interface Turned {
  money_cents: number
  bench_minutes: number
  policy: Schemas['Policy']
}

interface Props {
  dials: Turned
  left: { money_cents: number; bench_minutes: number }
  onTurn: (dials: Turned) => void
  /** The hand has come to rest: solve. */
  onSettle: (dials: Turned) => void
}

const STEP_CENTS = 1000
const STEP_MINUTES = 30
const LEAST_TOP_CENTS = 60_000
const LEAST_TOP_MINUTES = 1200

/** What the planner can turn: money, hours, and the schools of the policy. */
export function Dials({ dials, left, onTurn, onSettle }: Props) {
  const { policy } = dials
  const slider = (label: string, key: 'money_cents' | 'bench_minutes', step: number, top: number, shown: string) => (
    <label className="grid grid-cols-[6rem_1fr_4rem] items-center gap-2 min-h-9 text-[0.9375rem]">
      {label}
      <input
        type="range"
        className="range range-xs [--range-fill:1]"
        min={0}
        max={Math.max(top, left[key], dials[key])}
        step={step}
        value={dials[key]}
        aria-valuetext={shown}
        onChange={(event) => onTurn({ ...dials, [key]: Number(event.target.value) })}
        onPointerUp={() => onSettle(dials)}
        onKeyUp={(event) => { if (event.key.startsWith('Arrow') || event.key.startsWith('Page')) onSettle(dials) }}
      />
      <b className="text-right">{shown}</b>
    </label>
  )
  const school = <K extends 'memory_ceiling' | 'harvest'>(label: string, key: K, choices: [Schemas['Policy'][K], string][]) => (
    <fieldset className="grid grid-cols-[6rem_1fr] gap-2 items-baseline min-h-9 text-[0.9375rem]">
      <legend className="sr-only">{label}</legend>
      <span aria-hidden="true">{label}</span>
      <span className="flex flex-wrap gap-x-3">
        {choices.map(([value, words]) => (
          <label key={value} className={`flex items-center gap-1.5 py-1 ${policy[key] === value ? 'font-semibold' : 'quiet'}`}>
            <input type="radio" className="radio radio-xs" name={key} checked={policy[key] === value} onChange={() => onSettle({ ...dials, policy: { ...policy, [key]: value } })} />
            {words}
          </label>
        ))}
      </span>
    </fieldset>
  )
  return (
    <section aria-label="What you can turn">
      <h2 className="mb-1">What you can turn</h2>
      {slider('Money', 'money_cents', STEP_CENTS, LEAST_TOP_CENTS, roundMoney(dials.money_cents))}
      {slider('Bench hours', 'bench_minutes', STEP_MINUTES, LEAST_TOP_MINUTES, hours(dials.bench_minutes))}
      {school('Ceiling', 'memory_ceiling', [['stated', 'stated'], ['bench-proven', 'bench-proven too']])}
      {school('Harvest', 'harvest', [['use after test', 'after test'], ['new only', 'new parts only']])}
      <p className="quiet text-sm">The batch has {roundMoney(left.money_cents)} and {hours(left.bench_minutes)} left.</p>
    </section>
  )
}
