import type { Schemas } from '../../api/client'
import { roundMoney } from '../../frame/words'

const WIDTH = 284
const HEIGHT = 78
const LEFT = 4
const BOTTOM = 64
const TOP = 10
const LEAST_SHARE = 0.1

/** From where to where figures go, or the one they all are. */
const ends = (values: number[], words: (value: number) => string): string => {
  const [low, high] = [words(Math.min(...values)), words(Math.max(...values))]
  return low === high ? low : `${low} to ${high}`
}

interface Props {
  points: Schemas['CurvePoint'][]
  /** It is being drawn anew: what stands is of before. */
  anew: boolean
  money: number
  currency: string
  onPick: (money: number) => void
}

/** Units ready (steps) and contribution (line) against money to spend; a click sets the money. */
export function Curve({ points, anew, money, currency, onPick }: Props) {
  const last = points.at(-1)
  if (!last || points.length < 2) {
    return <p className="quiet text-sm py-1">{last && !anew ? 'No plan of this batch spends money.' : 'Drawing the curve…'}</p>
  }
  const most = last.money_cents
  const ready = points.map((point) => point.figures.ready)
  const leaves = points.map((point) => point.figures.contribution_cents)
  const x = (cents: number): number => LEFT + (Math.min(cents, most) / most) * (WIDTH - 2 * LEFT)
  const scale = (values: number[]) => {
    const low = Math.min(...values)
    // A difference that is small beside the whole stays small to the eye.
    const span = Math.max(Math.max(...values) - low, LEAST_SHARE * Math.max(...values.map(Math.abs)), 1)
    return (value: number): number => BOTTOM - ((value - low) / span) * (BOTTOM - TOP - 4)
  }
  const byReady = scale(ready)
  const byLeaves = scale(leaves)
  const steps = points.map((point, n) => `${n ? 'H' : 'M'}${x(point.money_cents).toFixed(1)}${n ? '' : ` ${byReady(point.figures.ready).toFixed(1)}`}${n ? `V${byReady(point.figures.ready).toFixed(1)}` : ''}`).join('')
  const line = points.map((point, n) => `${n ? 'L' : 'M'}${x(point.money_cents).toFixed(1)} ${byLeaves(point.figures.contribution_cents).toFixed(1)}`).join('')
  const told = points.map((point) => `${roundMoney(point.money_cents, currency)}: ${point.figures.ready} ready, leaves ${roundMoney(point.figures.contribution_cents, currency)}`)
  const pick = (event: React.MouseEvent<SVGSVGElement>): void => {
    const box = event.currentTarget.getBoundingClientRect()
    const at = ((event.clientX - box.left) / box.width) * WIDTH
    const nearest = points.reduce((best, point) => (Math.abs(x(point.money_cents) - at) < Math.abs(x(best.money_cents) - at) ? point : best))
    onPick(nearest.money_cents)
  }
  return (
    <figure className={`mb-1 ${anew ? 'opacity-50' : ''}`} aria-busy={anew}>
{/* biome-ignore lint/a11y/useKeyWithClickEvents: the slider of money does the same by keys */}
      <svg viewBox={`0 0 ${WIDTH} ${HEIGHT}`} className="w-full cursor-pointer block" role="img" aria-label={`Units ready and contribution against money. ${told.join('. ')}.`} onClick={pick}>
        <line x1={LEFT} x2={WIDTH - LEFT} y1={BOTTOM + 2} y2={BOTTOM + 2} stroke="var(--rule)" />
        <path d={`${steps}V${BOTTOM + 2}H${LEFT}Z`} fill="var(--ink)" opacity="0.09" />
        <path d={steps} fill="none" stroke="var(--ink)" strokeWidth="2" />
        <path d={line} fill="none" stroke="var(--done)" strokeWidth="2" strokeDasharray="5 3" />
        {points.map((point) => <circle key={point.money_cents} cx={x(point.money_cents)} cy={byLeaves(point.figures.contribution_cents)} r="2.6" fill="var(--done)"><title>{told[points.indexOf(point)]}</title></circle>)}
        <line x1={x(money)} x2={x(money)} y1={TOP - 8} y2={BOTTOM + 6} stroke="var(--fit)" strokeWidth="2.5" />
        <text x={LEFT} y={HEIGHT - 1} fontSize="11" fill="var(--quiet)">{roundMoney(0, currency)}</text>
        <text x={WIDTH - LEFT} y={HEIGHT - 1} fontSize="11" textAnchor="end" fill="var(--quiet)">{roundMoney(most, currency)}</text>
      </svg>
      <figcaption className="text-xs quiet flex justify-between">
        <span>{anew ? 'drawing it anew…' : <>▬ {ends(ready, String)} ready</>}</span>
        <span className="doneink">╌ leaves {ends(leaves, (cents) => roundMoney(cents, currency))}</span>
      </figcaption>
    </figure>
  )
}
