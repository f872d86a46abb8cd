import type { Schemas } from '../../api/client'
import { hours, roundMoney } from '../../frame/words'

const WIDTH = 250
const HEIGHT = 12

const figure = (row: Schemas['Scarce'], value: number, currency: string): string =>
  row.measure === 'minutes' ? hours(value) : row.measure === 'cents' ? roundMoney(value, currency) : String(value)

interface Props {
  row: Schemas['Scarce']
  currency: string
  /** What solving once more said, where it was asked. */
  checked?: string
  onCheck?: () => void
}

/** One scarce thing: on hand solid, harvested hatched, bought in outline, a mark at what is used. */
export function Beam({ row, currency, checked, onCheck }: Props) {
  const total = Math.max(row.on_hand + row.harvested + row.bought, row.used, 1)
  const scale = WIDTH / total
  const hand = row.on_hand * scale
  const harvested = row.harvested * scale
  const used = Math.min(WIDTH, row.used * scale)
  const limited = row.worth_cents > 0
  const about = row.solved ? '' : 'about '
  const parts = [`${figure(row, row.used, currency)} used`, `${figure(row, row.on_hand, currency)} ${row.measure === 'parts' ? 'in stock' : 'to use'}`]
  if (row.harvested) parts.push(`${row.harvested} harvested`)
  if (row.bought) parts.push(`${row.bought} bought`)
  const per = row.measure === 'minutes' ? 'an hour' : row.measure === 'cents' ? `per ${roundMoney(10_000, currency)}` : 'each'
  return (
    <li className="mb-2.5">
      <div className="flex gap-2 text-note leading-tight">
        <span className="grow">{row.label}</span>
        {limited && onCheck ? (
          <button type="button" className="fitink font-semibold whitespace-nowrap underline decoration-dotted underline-offset-2" title="Solve once more with one more of it" onClick={onCheck}>{about}{roundMoney(row.worth_cents, currency)} {per}</button>
        ) : (
          <span className={limited ? 'fitink font-semibold' : 'quiet'}>{limited ? `${about}${roundMoney(row.worth_cents, currency)} ${per}` : `${about}enough`}</span>
        )}
      </div>
      <svg width="100%" viewBox={`0 0 ${WIDTH + 4} ${HEIGHT + 8}`} preserveAspectRatio="none" className="h-4 block" role="img" aria-label={`${row.label}: ${parts.join(', ')}`}>
        <rect x="1" y="4" width={Math.max(0, hand)} height={HEIGHT} fill="var(--ink)" opacity={0.28} />
        <rect x="1" y="4" width={Math.max(0, Math.min(hand, used - harvested))} height={HEIGHT} fill="var(--ink)" />
        {harvested > 0 && <rect x={1 + hand} y="4" width={harvested} height={HEIGHT} fill="url(#strip-hatch)" stroke="var(--ink)" />}
        {row.bought > 0 && <rect x={2 + hand + harvested} y="5" width={row.bought * scale - 2} height={HEIGHT - 2} fill="var(--sheet)" stroke="var(--fit)" strokeWidth="2" />}
        <line x1={1 + used} x2={1 + used} y1="0" y2={HEIGHT + 8} stroke="var(--fit)" strokeWidth="2.5" />
      </svg>
      <p className="text-xs quiet leading-tight">{parts.join(' · ')}</p>
      {checked && <p className="text-sm leading-tight mt-0.5" role="status">{checked}</p>}
    </li>
  )
}
