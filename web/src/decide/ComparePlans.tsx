import { useQuery } from '@tanstack/react-query'
import { useSearchParams } from 'react-router'
import { addressWith } from '../frame/filter'
import { type Schemas, api, ask } from '../api/client'
import { Strip } from '../drawings/strip/Strip'
import { ProblemNote } from '../frame/Problem'
import { clock, hours, roundMoney, signed } from '../frame/words'
import type { Plan } from './useBalance'
import { PlanState } from '../api/vocabulary'

/** Two kept plans side by side: figures, rules, and the units that end otherwise. */
export function ComparePlans({ slug, plans }: { slug: string; plans: Schemas['PlanLine'][] }) {
  const [search, setSearch] = useSearchParams()
  const solved = plans.filter((line) => line.contribution_cents !== null)
  const left = Number(search.get('left') ?? solved[1]?.number ?? 0)
  const right = Number(search.get('right') ?? solved[0]?.number ?? 0)
  const choose = (side: 'left' | 'right', number: number): void => setSearch(addressWith(side, String(number)), { replace: true })
  const load = (number: number) => ({
    queryKey: ['kept', slug, number],
    queryFn: () => ask(api.GET('/api/batches/{slug}/plan/{number}', { params: { path: { slug, number } } })),
    enabled: number > 0,
  })
  const one = useQuery(load(left))
  const two = useQuery(load(right))
  if (solved.length < 2) return <p className="quiet py-4">Keep two plans and they stand here side by side. Turn a dial on the balance, then press Keep.</p>
  const pick = (side: 'left' | 'right', now: number) => (
    <select className="select select-sm bg-base-100 font-semibold" aria-label={side === 'left' ? 'First plan' : 'Second plan'} value={now} onChange={(event) => choose(side, Number(event.target.value))}>
      {solved.map((line) => <option key={line.number} value={line.number}>Plan {line.number}, {clock(line.at)}{line.state === PlanState.APPROVED ? ', approved' : ''}</option>)}
    </select>
  )
  return (
    <section>
      <ProblemNote error={one.error ?? two.error} />
      <table className="text-note mb-5">
        <thead><tr><td className="pr-6" /><th className="pr-8 pb-1">{pick('left', left)}</th><th className="pr-8 pb-1">{pick('right', right)}</th><th>difference</th></tr></thead>
        {one.data?.figures && two.data?.figures && <Figures one={one.data} two={two.data} />}
      </table>
      {one.data && two.data && <Differences one={one.data} two={two.data} />}
    </section>
  )
}

function Figures({ one, two }: { one: Plan; two: Plan }) {
  const [a, b] = [one.figures, two.figures]
  if (!a || !b) return null
  const rows: [string, string, string, string][] = [
    ['contribution', roundMoney(a.contribution_cents, a.currency), roundMoney(b.contribution_cents, b.currency), signed(b.contribution_cents - a.contribution_cents, a.currency)],
    ['units ready', `${a.ready} of ${a.decided}`, `${b.ready} of ${b.decided}`, plus(b.ready - a.ready)],
    ['to buy', roundMoney(a.spend_cents, a.currency), roundMoney(b.spend_cents, b.currency), signed(b.spend_cents - a.spend_cents, a.currency)],
    ['work', hours(a.minutes), hours(b.minutes), `${b.minutes >= a.minutes ? '+' : ''}${hours(b.minutes - a.minutes)}`],
    ['money to spend', roundMoney(one.money_cents, a.currency), roundMoney(two.money_cents, b.currency), ''],
    ['bench hours', hours(one.bench_minutes), hours(two.bench_minutes), ''],
    ['best at', one.goal, two.goal, ''],
  ]
  for (const key of Object.keys(one.policy) as (keyof typeof one.policy)[]) {
    if (one.policy[key] !== two.policy[key]) rows.push([key.replaceAll('_', ' '), String(one.policy[key]), String(two.policy[key]), ''])
  }
  return (
    <tbody>
      {rows.map(([name, left, right, difference]) => (
        <tr key={name} className="rule-t">
          <td className="py-1 pr-6 quiet">{name}</td>
          <td className="py-1 pr-8 figures">{left}</td>
          <td className={`py-1 pr-8 figures ${left === right ? '' : 'font-semibold'}`}>{right}</td>
          <td className="py-1 figures">{left === right ? <span className="quiet">same</span> : difference}</td>
        </tr>
      ))}
    </tbody>
  )
}

const plus = (n: number): string => (n > 0 ? `+${n}` : String(n))

interface End {
  end: string
  row: Schemas['BalanceRow']
}

const endRows = (plan: Plan): Map<string, End> => {
  const ends = new Map<string, End>()
  for (const row of plan.rows) for (const tag of row.tags) ends.set(tag, { end: [row.end, ...row.action_words].join(' · '), row })
  return ends
}

function Differences({ one, two }: { one: Plan; two: Plan }) {
  const before = endRows(one)
  const after = endRows(two)
  const moves = new Map<string, { tags: string[]; from: End | undefined; to: End | undefined }>()
  for (const tag of [...new Set([...before.keys(), ...after.keys()])].sort()) {
    const [from, to] = [before.get(tag), after.get(tag)]
    if (from?.end === to?.end) continue
    const key = `${from?.end}→${to?.end}→${from?.row.model ?? to?.row.model}`
    const found = moves.get(key)
    if (found) found.tags.push(tag)
    else moves.set(key, { tags: [tag], from, to })
  }
  const drawn = (plan: Plan, end: End | undefined) => {
    const strip = end && plan.strips[end.row.planned || end.row.found]
    return (
      <td className="py-1.5 pr-6">
        <b className="text-note">{end?.row.end ?? 'not decided'}</b>
        <span className="block text-sm quiet">{end?.row.action_words.join(', ')}</span>
        {strip && <Strip strip={strip} size="line" />}
      </td>
    )
  }
  const total = [...moves.values()].reduce((sum, move) => sum + move.tags.length, 0)
  return (
    <>
      <h2 className="mb-1">{total === 0 ? 'Every unit ends the same in both' : `${total} ${total === 1 ? 'unit ends' : 'units end'} otherwise`}</h2>
      <table className="w-full">
        <tbody>
          {[...moves].map(([key, move]) => (
            <tr key={key} className="rule-b align-top">
              <td className="py-1.5 pr-4 whitespace-nowrap">{move.tags.length > 1 && <b>{move.tags.length} × </b>}<span className="tag text-sm">{move.tags.slice(0, 2).join(' ')}{move.tags.length > 2 && ' …'}</span><span className="block text-xs quiet">{(move.from ?? move.to)?.row.model}</span></td>
              {drawn(one, move.from)}
              {drawn(two, move.to)}
            </tr>
          ))}
        </tbody>
      </table>
    </>
  )
}
