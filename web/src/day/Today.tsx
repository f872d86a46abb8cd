import { useQuery } from '@tanstack/react-query'
import { Link } from 'react-router'
import { type Schemas, api, ask } from '../api/client'
import { Doing, FirstStep, PurchaseState, Stage } from '../api/vocabulary'
import { explained, headingOf, labelOf } from '../frame/vocabulary'
import { count, day } from '../frame/words'

export const todayQuery = { queryKey: ['today'], queryFn: () => ask(api.GET('/api/today')) }

/** Where each thing to do is done. */
const placeOf = (one: Schemas['Next']): string => {
  switch (one.doing) {
    case Doing.DANGER: return one.about ? `/unit/${one.about}` : '/dangers'
    case Doing.RECEIVE:
    case Doing.ORDER:
    case Doing.TRY: return '/stock'
    case Doing.REFILL: return '/stock?below=least'
    case Doing.PRICE: return '/workshop/prices'
    case Doing.RELEASE: return `/${one.batch}/${Stage.RELEASE}`
    case Doing.FIT: return `/${one.batch}/${Stage.FIT}`
    case Doing.APPROVE:
    case Doing.PLAN: return `/${one.batch}/${Stage.DECIDE}`
    case Doing.INSPECT: return `/${one.batch}/${Stage.INSPECT}`
    case Doing.COUNT: return `/${one.batch}/${Stage.ARRIVE}`
  }
}

const ROOMS: Partial<Record<Schemas['FirstStep'], string>> = {
  [FirstStep.STANDARD]: '/workshop/standards',
  [FirstStep.KINDS]: '/workshop/kinds',
  [FirstStep.PRICE]: '/workshop/prices',
}
const STAGE_OF: Partial<Record<Schemas['FirstStep'], string>> = {
  [FirstStep.MANIFEST]: Stage.ARRIVE,
  [FirstStep.COUNTED]: Stage.ARRIVE,
  [FirstStep.INSPECTED]: Stage.INSPECT,
  [FirstStep.APPROVED]: Stage.DECIDE,
}

/** The day of whoever signed in: what is wrong, what to do next, what is on its way. */
export function Today() {
  const query = useQuery(todayQuery)
  const now = query.data
  if (!now) return <aside aria-label="Today" />
  const next = now.first_steps.find((one) => !one.done)?.step
  const batch = now.batches[0]?.slug
  const late = now.late.length
  return (
    <aside aria-label="Today">
      <h2 className="text-xl mb-1">{day(now.day)}</h2>
      <p className="mb-4">
        {now.dangers > 0 && <Link to="/dangers" className="text-error font-bold hover:underline">{now.dangers === 1 ? 'One danger is open.' : `${now.dangers} dangers are open.`} </Link>}
        {late > 0 && <b className="fitink">{late === 1 ? `${now.late[0]} is late. ` : `${late} batches are late. `}</b>}
        {now.dangers === 0 && late === 0 && <span className="quiet">Nothing is late, no danger is open.</span>}
      </p>
      {now.first_steps.length > 0 && (
        <section className="mb-6 bg-base-100 border-l-4 border-accent px-4 py-3">
          <h2>To the first plan</h2>
          <ol>
            {now.first_steps.map(({ step, done }) => {
              const to = ROOMS[step] ?? (batch && STAGE_OF[step] ? `/${batch}/${STAGE_OF[step]}` : '')
              return (
                <li key={step} className={`py-1 flex gap-2.5 ${done ? 'quiet' : ''}`}>
                  <span><span aria-hidden="true">{done ? '●' : '○'}</span><span className="sr-only">{done ? 'done: ' : 'to do: '}</span></span>
                  <span>{to && !done ? <Link className={`underline ${step === next ? 'font-bold' : ''}`} to={to}>{headingOf('FirstStep', step)}</Link> : <span className={step === next ? 'font-bold' : ''}>{headingOf('FirstStep', step)}</span>}{step === next && <span className="block quiet text-note">{explained('FirstStep', step)}</span>}</span>
                </li>
              )
            })}
          </ol>
        </section>
      )}
      <section className="mb-6">
        <h2 className="border-b border-base-content pb-1">Next for you</h2>
        {now.next.length === 0 && <p className="quiet py-2">Nothing waits for you.</p>}
        <ol>
          {now.next.map((one, at) => (
            <li key={`${one.doing} ${one.batch}`} className={`rule-b ${at === 0 ? 'current-row' : ''}`}>
              <Link to={placeOf(one)} className="block py-2.5 px-3 hover:underline">
                <b className={one.doing === Doing.DANGER ? 'text-error' : ''}>{one.sentence}</b>
                {one.beside && <span className={`block text-note ${one.late ? 'fitink' : 'quiet'}`}>{one.beside}</span>}
              </Link>
            </li>
          ))}
        </ol>
      </section>
      {now.coming.length > 0 && (
        <section>
          <h2 className="border-b border-base-content pb-1">Parts that are bought</h2>
          <ul>
            {now.coming.map((one) => (
              <li key={`${one.due} ${one.label} ${one.count}`} className="rule-b py-2 flex gap-4"><span className={`w-24 ${one.late ? 'fitink font-bold' : ''}`}>{day(one.due)}</span><span>{one.count} × {one.label}{one.state !== PurchaseState.ORDERED && <span className="block fitink text-note">{labelOf('PurchaseState', one.state)}; then about that day</span>}{one.waiting > 0 && <span className="block quiet text-note">{count(one.waiting, 'order')} {one.waiting === 1 ? 'waits' : 'wait'} for it</span>}</span></li>
            ))}
          </ul>
        </section>
      )}
    </aside>
  )
}
