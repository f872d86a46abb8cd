import { useQuery } from '@tanstack/react-query'
import { type Schemas, api, ask, lostOf } from '../api/client'
import { ProblemNote } from '../frame/Problem'
import { clock, currencySign, day, roundMoney } from '../frame/words'

const WIDTH = 320
const HEIGHT = 120
const TOP = 14
const BOTTOM = 96
const LEFT = 4
const RIGHT = WIDTH - 52

interface Props {
  sheet: string
  model: string
  standard: Schemas['Standard']
}

/** How the prices of a model as one standard changed: a stair a grade, and who made each step. */
export function PriceHistory({ sheet, model, standard }: Props) {
  const query = useQuery({ queryKey: ['price-history', sheet, standard.key, standard.version], queryFn: () => ask(api.GET('/api/furnish/prices/history', { params: { query: { sheet } } })) })
  const stairs = (query.data ?? []).filter((one) => one.standard === standard.key)
  if (lostOf(query)) return <ProblemNote error={query.error} />
  const every = stairs.flatMap((one) => one.prices)
  const first = every.map((one) => Date.parse(one.at)).sort((a, b) => a - b)[0]
  return (
    <section aria-label="History of the price" className="mt-5">
      <h2 className="border-b border-base-content pb-1">{model} <span className="quiet font-normal text-base">as {standard.name}</span></h2>
      {first === undefined ? <p className="quiet py-1">{query.isPending ? 'Reading its history…' : 'It never had a price.'}</p> : <Stairs stairs={stairs} first={first} />}
      <ol className="text-note">
        {stairs
          .flatMap((one) => one.prices.map((then, n) => ({ ...then, grade: one.grade, before: one.prices[n - 1]?.price_cents ?? null })))
          .sort((a, b) => b.at.localeCompare(a.at) || a.grade.localeCompare(b.grade))
          .map((then) => (
            <li key={`${then.at} ${then.grade}`} className="rule-b py-1 flex gap-3">
              <b className="w-4">{then.grade}</b>
              <span className="grow">{then.before !== null && <s className="quiet">{roundMoney(then.before)}</s>} {then.price_cents === null ? 'not sold so any more' : roundMoney(then.price_cents)}</span>
              <span className="quiet">{day(then.at)} {clock(then.at)}{then.by && `, ${then.by}`}</span>
            </li>
          ))}
      </ol>
    </section>
  )
}

function Stairs({ stairs, first }: { stairs: Schemas['PriceHistory'][]; first: number }) {
  const now = Date.now()
  const most = Math.max(1, ...stairs.flatMap((one) => one.prices.map((then) => then.price_cents ?? 0)))
  const x = (at: number): number => LEFT + ((at - first) / Math.max(1, now - first)) * (RIGHT - LEFT)
  const y = (cents: number): number => BOTTOM - (cents / most) * (BOTTOM - TOP)
  const ends = stairs.map((one) => one.prices.at(-1)?.price_cents ?? null)
  return (
    <svg viewBox={`0 0 ${WIDTH} ${HEIGHT}`} className="w-full block" role="img" aria-label={`Prices from ${day(new Date(first).toISOString())} until today; each step stands below.`}>
      <line x1={LEFT} x2={RIGHT} y1={BOTTOM} y2={BOTTOM} stroke="var(--rule)" strokeWidth="1.5" />
      {stairs.map((one, n) => {
        const end = ends[n] ?? null
        const path = one.prices.map((then, at) => {
          const until = Date.parse(one.prices[at + 1]?.at ?? new Date(now).toISOString())
          return then.price_cents === null ? '' : `M${x(Date.parse(then.at)).toFixed(1)} ${y(then.price_cents).toFixed(1)}H${x(until).toFixed(1)}${one.prices[at + 1]?.price_cents != null ? `V${y(one.prices[at + 1]?.price_cents ?? 0).toFixed(1)}` : ''}`
        }).join('')
        // Grades whose prices are alike are written once, on one line.
        const shared = ends.indexOf(end)
        return (
          <g key={one.grade}>
            <path d={path} fill="none" stroke="var(--ink)" strokeWidth={2.6 - n * 0.6} strokeDasharray={n === 0 ? undefined : n === 1 ? '7 3' : '2 3'} />
            {end !== null && shared === n && <text x={RIGHT + 5} y={y(end) + 4} fontSize="12" fill="var(--ink)">{stairs.filter((_, other) => ends[other] === end).map((other) => other.grade).join(' ')} {roundMoney(end).replace(currencySign(), '')}</text>}
          </g>
        )
      })}
      <text x={LEFT} y={HEIGHT - 8} fontSize="11" fill="var(--quiet)">{day(new Date(first).toISOString())}</text>
      <text x={RIGHT} y={HEIGHT - 8} fontSize="11" textAnchor="end" fill="var(--quiet)">today</text>
    </svg>
  )
}
