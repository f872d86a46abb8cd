import { useEffect, useRef, useState } from 'react'
import { type Schemas, api, ask } from '../api/client'
import { Curve } from '../drawings/balance/Curve'
import { hours, roundMoney } from '../frame/words'
import type { Turned } from './useBalance'
import { Skill, type ListName } from '../api/vocabulary'
import { choicesOf, explained, schoolQuestions } from '../frame/vocabulary'

interface Props {
  slug: string
  dials: Turned
  data: Schemas['DecideView']
  /** The plan under the dials is not proven yet. */
  turning: boolean
  currency: string
  onTurn: (dials: Turned) => void
}

const STEP_CENTS = 1000
const STEP_MINUTES = 30
const LEAST_TOP_CENTS = 60_000
const LEAST_TOP_MINUTES = 1200
/** After the proof of the dials. */
const CURVE_AFTER_MS = 600

/** What the planner can turn: goal, money with its curve, hours, limits of single skills, schools. */
export function Dials({ slug, dials, data, turning, currency, onTurn }: Props) {
  const { points, anew } = useCurve(slug, dials, data, turning)
  const slider = (label: string, value: number, step: number, top: number, shown: string, set: (value: number) => void) => (
    <label className="grid grid-cols-[7.25rem_1fr_4rem] max-xl:grid-cols-[6rem_1fr_4rem] items-center gap-2 min-h-9 text-note">
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
  const questions = schoolQuestions()
  const school = ({ field, question, schools }: Schemas['SchoolQuestion']) => {
    const list = schools as ListName
    const chosen = dials.policy[field as keyof Turned['policy']] as string
    return (
      <label key={field} className="grid grid-cols-[7.25rem_1fr] max-xl:grid-cols-[6rem_1fr] items-center gap-2 min-h-10 py-0.5 text-note leading-tight">
        <span className="first-letter:uppercase">{question}</span>
        <select className="select select-sm h-8 w-full bg-base-100 text-sm" title={explained(list, chosen)} value={chosen} onChange={(event) => onTurn({ ...dials, policy: { ...dials.policy, [field]: event.target.value } })}>
          {choicesOf(list).map(([value, words]) => <option key={value} value={value}>{words}</option>)}
        </select>
      </label>
    )
  }
  const skills = choicesOf('Skill').filter(([skill]) => skill !== Skill.BENCH)
  const topMoney = Math.max(LEAST_TOP_CENTS, data.money_cents, points.at(-1)?.money_cents ?? 0)
  return (
    <section aria-label="What you can turn">
      <h2 className="mb-1">What you can turn</h2>
      <label className="grid grid-cols-[7.25rem_1fr] max-xl:grid-cols-[6rem_1fr] items-center gap-2 min-h-9 text-note">
        Best at
        <select className="select select-sm h-8 w-full bg-base-100 text-sm font-semibold" value={dials.goal} onChange={(event) => onTurn({ ...dials, goal: event.target.value as Turned['goal'] })}>
          {choicesOf('Goal').map(([goal, words]) => <option key={goal} value={goal}>{words}</option>)}
        </select>
      </label>
      {slider('Money', dials.money_cents, STEP_CENTS, topMoney, roundMoney(dials.money_cents, currency), (value) => onTurn({ ...dials, money_cents: value }))}
      {data.live && data.waiting + data.open_orders > 0 && <Curve points={points} anew={anew} money={dials.money_cents} currency={currency} onPick={(value) => onTurn({ ...dials, money_cents: value })} />}
      {slider('Bench hours', dials.bench_minutes, STEP_MINUTES, Math.max(LEAST_TOP_MINUTES, data.bench_minutes), hours(dials.bench_minutes), (value) => onTurn({ ...dials, bench_minutes: value }))}
      {skills.filter(([skill]) => skill in dials.skills).map(([skill, label]) => (
        <div key={skill} className="flex items-center gap-1">
          <div className="grow">{slider(label, dials.skills[skill] ?? 0, STEP_MINUTES, LEAST_TOP_MINUTES / 2, hours(dials.skills[skill] ?? 0), (value) => limit(skill, value))}</div>
          <button type="button" className="quiet px-1" aria-label={`No limit for ${label.toLowerCase()}`} onClick={() => limit(skill, null)}>×</button>
        </div>
      ))}
      {skills.some(([skill]) => !(skill in dials.skills)) && (
        <select className="select select-sm h-8 w-full bg-base-200 quiet mb-1 text-sm" aria-label="Limit a skill" value="" onChange={(event) => limit(event.target.value, 240)}>
          <option value="">limit a skill …</option>
          {skills.filter(([skill]) => !(skill in dials.skills)).map(([skill, label]) => <option key={skill} value={skill}>{label}</option>)}
        </select>
      )}
      {questions.filter((one) => !one.opening).map(school)}
      <details className="text-note">
        <summary className="cursor-pointer py-1.5">How units are opened</summary>
        {questions.filter((one) => one.opening).map(school)}
        {slider('Cooling', dials.policy.cooling_minutes, 1, 5, `${dials.policy.cooling_minutes} min`, (value) => onTurn({ ...dials, policy: { ...dials.policy, cooling_minutes: value } }))}
      </details>
      <p className="quiet text-sm mt-1">The batch has {roundMoney(data.money_cents, currency)} and {hours(data.bench_minutes)} left.</p>
    </section>
  )
}

/** The curve so far, of one state of all dials but the money. */
interface Drawn {
  of: string
  asked: Schemas['Curve'] | null
  found: Schemas['CurvePoint'][]
}

/**
 * The curve under all dials but the money, drawn once their plan is proven, a point after the other.
 *
 * A hand that turns again ends it after the point that is asked for; what was found is drawn on where
 * only the money was turned.
 */
function useCurve(slug: string, dials: Turned, data: Schemas['DecideView'], turning: boolean): { points: Schemas['CurvePoint'][]; anew: boolean } {
  const [points, setPoints] = useState<Schemas['CurvePoint'][]>([])
  const [anew, setAnew] = useState(true)
  const others = JSON.stringify({ slug, ...dials, money_cents: 0, wishes: [data.pins, data.sales_orders], at: [data.waiting, data.open_orders] })
  const drawn = useRef<Drawn>({ of: '', asked: null, found: [] })
  const shown = useRef('')
  // biome-ignore lint/correctness/useExhaustiveDependencies: it runs when what it names changes, not at every drawing
  useEffect(() => {
    if (!data.live || data.waiting + data.open_orders === 0) return
    setAnew(shown.current !== others)
    if (turning || shown.current === others) return
    let gone = false
    const timer = setTimeout(() => {
      const path = { params: { path: { slug } } }
      const draw = async (): Promise<void> => {
        if (drawn.current.of !== others) drawn.current = { of: others, asked: null, found: [] }
        const now = drawn.current
        now.asked ??= await ask(api.POST('/api/batches/{slug}/plan/curve', { ...path, body: dials }))
        for (const money_cents of now.asked.below.slice(now.found.length)) {
          if (gone) return
          const point = await ask(api.POST('/api/batches/{slug}/plan/curve/point', { ...path, body: { ...dials, money_cents } }))
          // Else who draws on has asked for it again.
          if (!gone) now.found.push(point)
        }
        if (gone) return
        shown.current = others
        setPoints([...now.found, now.asked.top])
      }
      draw()
        // Wishes that clash are told beside the plan; without a plan there is no curve.
        .catch(() => {
          if (gone) return
          shown.current = ''
          setPoints([])
        })
        .finally(() => { if (!gone) setAnew(false) })
    }, CURVE_AFTER_MS)
    return () => {
      gone = true
      clearTimeout(timer)
    }
    // The money does not change the curve.
  }, [slug, others, data.live, turning])
  return { points, anew }
}
