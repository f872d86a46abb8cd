import type { Schemas } from '../api/client'
import { count, roundMoney, sees, signed } from '../frame/words'
import { Money } from '../api/vocabulary'

const MOST_TEETH = 120

/** A tooth a unit, those that are done in ink, against the days that are left; what the batch is expected to leave. */
export function AgainstDue({ batch, money }: { batch: Schemas['BatchView']; money: Schemas['BatchMoney'] | undefined }) {
  if (!money || batch.units === 0) return null
  const done = batch.counts.done ?? 0
  const each = Math.ceil(batch.units / MOST_TEETH)
  const teeth = Math.ceil(batch.units / each)
  const inked = Math.floor(done / each)
  const late = money.days_left < 0 && done < batch.units
  const left = late ? `${count(-money.days_left, 'day')} late` : money.days_left === 0 ? 'due today' : `${count(money.days_left, 'day')} left`
  return (
    <p className="flex flex-wrap items-center gap-x-5 gap-y-1 mt-2 text-note">
      <svg viewBox={`0 0 ${teeth * 4} 12`} className="h-3" style={{ width: `${Math.min(100, teeth * 0.5)}%` }} preserveAspectRatio="none" role="img" aria-label={`${done} of ${batch.units} done`}>
        {Array.from({ length: teeth }, (_, n) => <rect key={n} x={n * 4} y={n < inked ? 0 : 4} width="2.6" height={n < inked ? 12 : 8} fill={n < inked ? 'var(--ink)' : late ? 'var(--fit)' : 'var(--rule)'} />)}
      </svg>
      <span>{done} of {batch.units} done, <b className={late ? 'fitink' : ''}>{left}</b></span>
      {sees(Money.RESULTS) && money.leaves_cents !== null && <span>expected to leave <b>{signed(money.leaves_cents, batch.currency)}</b></span>}
      {sees(Money.RESULTS) && <span className="quiet">{roundMoney(money.spent_cents, batch.currency)} of {roundMoney(batch.money_cents, batch.currency)} on parts</span>}
    </p>
  )
}
