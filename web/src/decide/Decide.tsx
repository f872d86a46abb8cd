import { useQuery, useQueryClient } from '@tanstack/react-query'
import { Fragment, useEffect, useState } from 'react'
import { useNavigate, useParams, useSearchParams } from 'react-router'
import { type Schemas, api, ask } from '../api/client'
import { Beam } from '../drawings/balance/Beam'
import { Strip } from '../drawings/strip/Strip'
import { ProblemNote } from '../frame/Problem'
import { useKeys } from '../frame/keys'
import { clock, count, hours, money, roundMoney, signed } from '../frame/words'
import { Dials, type Turned } from './Dials'
import { Ladder } from './Ladder'

const POLL_MS = 700

/** Decide: the batch in balance. */
export function Decide() {
  const { batch: slug = '' } = useParams()
  const queries = useQueryClient()
  const view = useQuery({
    queryKey: ['plan', slug],
    queryFn: () => ask(api.GET('/api/batches/{slug}/plan', { params: { path: { slug } } })),
    refetchInterval: (query) => (query.state.data?.plan?.state === 'solving' ? POLL_MS : false),
  })
  const [turned, setTurned] = useState<Turned | null>(null)
  const [busy, setBusy] = useState(false)
  const [error, setError] = useState<unknown>(null)
  const navigate = useNavigate()
  const data = view.data
  const plan = data?.plan ?? null
  const dials: Turned | null = turned ?? (data ? dialsOf(data) : null)

  const solve = async (now: Turned | null = dials): Promise<void> => {
    if (!now || busy) return
    setBusy(true)
    setError(null)
    try {
      const solved = await ask(api.POST('/api/batches/{slug}/plan', { params: { path: { slug } }, body: now }))
      queries.setQueryData(['plan', slug], (old: Schemas['DecideView'] | undefined) => old && { ...old, plan: solved })
    } catch (refusal) {
      setError(refusal)
    } finally {
      setBusy(false)
    }
  }
  const approve = async (): Promise<void> => {
    if (!plan || plan.state !== 'solved' || busy) return
    setBusy(true)
    setError(null)
    try {
      await ask(api.POST('/api/batches/{slug}/plan/{number}/approve', { params: { path: { slug, number: plan.number } } }))
      setTurned(null)
      await queries.invalidateQueries()
    } catch (refusal) {
      setError(refusal)
    } finally {
      setBusy(false)
    }
  }
  useKeys({ p: () => void solve(), a: () => void approve(), f: () => navigate(`/${slug}/fit`) })
  if (view.error) return <div className="page"><ProblemNote error={view.error} /></div>
  if (!data || !dials) return null
  const stale = plan?.state === 'solved' && plan.plan?.outcomes.length !== data.waiting - (plan.plan?.left_out.length ?? 0)
  return (
    <div className="grow grid grid-cols-[minmax(0,1fr)_336px] max-lg:grid-cols-1">
      <div className="pl-7 pr-6 pt-4 pb-6 min-w-0">
        <ProblemNote error={error} />
        {!plan && <Empty waiting={data.waiting} onPlan={() => void solve()} />}
        {plan?.state === 'solving' && <Solving />}
        {plan?.state === 'refused' && <p role="alert" className="border-l-4 border-accent bg-base-100 px-4 py-3">{plan.refusal}</p>}
        {plan?.plan && (
          <>
            <Figures plan={plan.plan} />
            <p className="flex items-center gap-3 mb-3 text-[0.9375rem]">
              {plan.state === 'approved' ? (
                <span>Approved by {plan.approved_by}. {data.waiting > 0 ? `${count(data.waiting, 'unit')} ${data.waiting === 1 ? 'waits' : 'wait'} for the next plan.` : 'No unit waits for a decision.'}</span>
              ) : (
                <span className={stale ? 'fitink font-semibold' : 'quiet'}>{stale ? 'Units were inspected since; plan again.' : `Plan ${plan.number} by ${plan.by}, ${clock(plan.at)}. Nothing is promised before it is approved.`}</span>
              )}
              <span className="grow" />
              {data.waiting > 0 && <button className="btn btn-outline btn-bench" disabled={busy} onClick={() => void solve()}>Plan {data.waiting} <kbd>P</kbd></button>}
              {plan.state === 'solved' && <button className="btn btn-primary btn-bench" disabled={busy} onClick={() => void approve()}>Approve <kbd>A</kbd></button>}
              {plan.state === 'approved' && <button className="btn btn-primary btn-bench" onClick={() => navigate(`/${slug}/fit`)}>To the bench <kbd>F</kbd></button>}
            </p>
            <Rows plan={plan} />
          </>
        )}
      </div>
      <aside className="border-l border-base-300 px-6 pt-4 pb-6 max-lg:border-l-0">
        <Dials
          dials={dials}
          left={data}
          onTurn={setTurned}
          onSettle={(now) => { setTurned(now); if (data.waiting) void solve(now) }}
        />
        {plan?.plan && (
          <section className="mt-5">
            <h2 className="flex justify-between mb-2">What is scarce <span className="font-normal quiet text-sm self-end">worth of one more</span></h2>
            <ul>{plan.plan.scarce.slice(0, 9).map((row) => <Beam key={row.key} row={row} currency={plan.plan?.currency ?? 'EUR'} />)}</ul>
          </section>
        )}
      </aside>
    </div>
  )
}

const dialsOf = (data: Schemas['DecideView']): Turned => {
  const solved = data.plan?.state === 'solved' ? data.plan : null
  return solved
    ? { money_cents: solved.money_cents, bench_minutes: solved.bench_minutes, policy: solved.policy }
    : { money_cents: data.money_cents, bench_minutes: data.bench_minutes, policy: data.policy }
}

function Empty({ waiting, onPlan }: { waiting: number; onPlan: () => void }) {
  return (
    <div className="py-10">
      <h1>{waiting ? `${count(waiting, 'unit')} ${waiting === 1 ? 'waits' : 'wait'} for a decision` : 'No unit waits for a decision'}</h1>
      <p className="my-2">{waiting ? 'Plan them: each gets the outcome that leaves the batch most, with its sum and its reason.' : 'Units come here once they are inspected.'}</p>
      <button className="btn btn-primary btn-bench" onClick={onPlan}>Plan the batch <kbd>P</kbd></button>
    </div>
  )
}

function Solving() {
  return (
    <div role="status" className="py-8">
      <p className="mb-2">Solving. You can go on elsewhere; the plan stands here when it is done.</p>
      <progress className="progress w-80" />
    </div>
  )
}

function Figures({ plan }: { plan: Schemas['Plan'] }) {
  const proven = plan.gap_percent <= 0 ? 'proven best' : `at most ${plan.gap_percent.toFixed(2)} % below the best`
  return (
    <dl className="flex flex-wrap gap-x-7 gap-y-1 mb-3">
      {[
        [roundMoney(plan.contribution_cents, plan.currency), `contribution, ${proven}`],
        [String(plan.ready), `of ${plan.outcomes.length} ready`],
        [roundMoney(plan.spend_cents, plan.currency), 'to buy'],
        [hours(plan.minutes), `of ${hours(plan.bench_minutes)} bench`],
      ].map(([figure, words]) => (
        <div key={words} className="flex items-baseline gap-2">
          <dd className="figure">{figure}</dd>
          <dt className="quiet text-sm" title={`Bound ${roundMoney(plan.bound_cents, plan.currency)}`}>{words}</dt>
        </div>
      ))}
    </dl>
  )
}

/** The sum of one unit, as a sentence of figures. */
function Sum({ outcome, currency }: { outcome: Schemas['UnitOutcome'] | undefined; currency: string }) {
  if (!outcome) return null
  const terms = ([
    ['price', outcome.price_cents],
    ['gives to others', outcome.gives_cents],
    ['parts', -outcome.parts_cents],
    ['labour', -outcome.labour_cents],
    ['fees', -outcome.fees_cents],
  ] as const).filter(([, cents]) => cents)
  return (
    <p className="figures text-[0.9375rem] mt-1">
      <span className="tag mr-3">{outcome.tag}</span>
      {terms.map(([name, cents]) => <span key={name} className="mr-3"><span className="quiet">{name}</span> {money(cents, currency)}</span>)}
      <b>= {money(outcome.contribution_cents, currency)}</b>
    </p>
  )
}

function Rows({ plan }: { plan: Schemas['PlanView'] }) {
  const [search, setSearch] = useSearchParams()
  const wanted = search.get('unit')
  const [open, setOpen] = useState<number | null>(null)
  const currency = plan.plan?.currency ?? 'EUR'
  useEffect(() => {
    if (!wanted) return
    const row = plan.rows.findIndex((other) => other.tags.includes(wanted))
    setOpen(row >= 0 ? row : null)
    document.querySelectorAll('[data-row]')[row]?.scrollIntoView({ block: 'center' })
  }, [wanted, plan])
  const toggle = (index: number): void => {
    setOpen(open === index ? null : index)
    if (wanted) setSearch({}, { replace: true })
  }
  return (
    <table className="w-full border-collapse">
      <thead>
        <tr className="border-b border-base-content text-sm"><th>units</th><th>as found → as planned</th><th>outcome</th><th className="text-right">cost</th><th className="text-right">leaves</th></tr>
      </thead>
      <tbody>
        {plan.rows.map((row, index) => {
          const ladder = plan.ladders.find((other) => other.group === row.group)
          return (
            <Fragment key={index}>
              <tr data-row className={`rule-b cursor-pointer hover:bg-base-100 ${open === index ? 'row-open' : ''}`} onClick={() => toggle(index)}>
                <td className="py-1.5 pr-4 align-top whitespace-nowrap">
                  <button
                    className="text-left"
                    aria-expanded={open === index}
                    onClick={(event) => { event.stopPropagation(); toggle(index) }}
                    onKeyDown={(event) => {
                      if (event.key !== 'ArrowDown' && event.key !== 'ArrowUp') return
                      event.preventDefault()
                      const all = [...document.querySelectorAll<HTMLButtonElement>('[data-row] button')]
                      all[all.indexOf(event.currentTarget) + (event.key === 'ArrowDown' ? 1 : -1)]?.focus()
                    }}
                  >
                    <span>
                      {row.tags.length > 1 && <b className="text-lg">{row.tags.length} × </b>}
                      <span className="tag text-sm">{row.tags[0]}{row.tags.length > 1 && ' …'}</span>
                    </span>
                    <span className="block text-xs quiet">{row.model}</span>
                    <span className="block text-xs quiet">{row.detail}</span>
                  </button>
                </td>
                <td className="py-1.5 pr-3 align-top">
                  <div className="flex flex-col">
                    <Strip strip={row.found} size="line" />
                    {row.planned && <Strip strip={row.planned} size="line" />}
                  </div>
                </td>
                <td className="py-1.5 pr-3 leading-tight align-top">
                  <b className="text-[0.9375rem]">{{ fit: `Fit to ${row.standard}`, 'release as is': `Release as ${row.standard}`, donor: 'Donor', hold: 'Hold', recycle: 'Recycle' }[row.outcome] ?? row.outcome}</b>
                  <span className="block text-sm quiet">{row.outcome === 'donor' ? `gives ${row.action_words.map((words) => words.replace(/^take /, '').replace(/ out of.*/, '')).join(', ')}` : row.action_words.join(', ')}</span>
                </td>
                <td className="py-1.5 text-right align-top whitespace-nowrap">{roundMoney(row.cost_cents, currency)}</td>
                <td className="py-1.5 pl-4 text-right align-top font-bold whitespace-nowrap">{signed(row.contribution_cents, currency)}</td>
              </tr>
              {open === index && ladder && (
                <tr className="rule-b">
                  <td colSpan={5}>
                    <div className="px-4 pt-3 bg-base-100">
                      <p><b>Why: </b>{row.reason}</p>
                      {row.tags.map((tag) => <Sum key={tag} outcome={plan.plan?.outcomes.find((other) => other.tag === tag)} currency={currency} />)}
                    </div>
                    <Ladder ladder={ladder} currency={currency} />
                  </td>
                </tr>
              )}
            </Fragment>
          )
        })}
        {plan.plan?.left_out.map((unit) => (
          <tr key={unit.tag} className="rule-b"><td className="py-2 tag">{unit.tag}</td><td colSpan={4}>{unit.reason}</td></tr>
        ))}
      </tbody>
    </table>
  )
}
