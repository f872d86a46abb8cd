import { useCallback, useEffect, useState } from 'react'
import { Link, useNavigate, useParams, useSearchParams } from 'react-router'
import { type Schemas, api, ask, lostOf, problemOf } from '../api/client'
import { Beam } from '../drawings/balance/Beam'
import { CopyCsv } from '../frame/CopyCsv'
import { ProblemNote } from '../frame/Problem'
import { addressWith, useFilter } from '../frame/filter'
import { useKeys } from '../frame/keys'
import { clock, count, figure, hours, roundMoney, signed, workshop } from '../frame/words'
import { Buying } from './Buying'
import { ComparePlans } from './ComparePlans'
import { Dials } from './Dials'
import { Rows } from './Rows'
import { WhatIf } from './WhatIf'
import { Wishes } from './Wishes'
import { type Balance, type Plan, type Turned, endsOf, useBalance } from './useBalance'
import { Furnishing, Goal, PlanState } from '../api/vocabulary'

const VIEWS = [
  ['', 'Balance'],
  ['buying', 'Buy and harvest'],
  ['wishes', 'Orders and pins'],
  ['rules', 'Other rules'],
  ['compare', 'Compare'],
] as const

/** Decide: the batch in balance. */
export function Decide() {
  const { batch: slug = '' } = useParams()
  const [search, setSearch] = useSearchParams()
  const [filter, setFilter] = useFilter()
  const navigate = useNavigate()
  const balance = useBalance(slug)
  const { data, dials, tried } = balance
  const kept = data?.plan ?? null
  const shown = tried ?? kept
  const solved = shown?.figures ? shown : null
  const at = search.get('view') ?? ''
  const go = (view: string): void => setSearch(addressWith('view', view), { replace: true })
  const open = data ? data.waiting + data.open_orders : 0
  const untouched = balance.touched ? '' : 'no dial is turned'
  const unfurnished = data?.missing.length ? 'the workshop lacks what is said on top' : ''
  const solvedNow = kept?.state === PlanState.SOLVED
  useKeys('Decide', [
    { key: 'p', does: 'plan the batch', act: () => void balance.keep(), off: unfurnished || (open ? '' : 'no unit waits for a decision') },
    { key: 'k', does: 'keep what the dials say', act: () => void balance.keep(), off: untouched },
    { key: 'b', does: 'put the dials back', act: balance.putBack, off: untouched },
    { key: 'a', does: 'approve the plan', act: () => void balance.approve(), off: unfurnished || balance.touched ? unfurnished || 'keep the dials or put them back first' : solvedNow ? '' : 'no solved plan waits for it' },
    { key: 'f', does: 'to the bench', act: () => navigate(`/${slug}/fit`) },
  ])
  if (lostOf(balance.view)) return <div className="page"><ProblemNote error={balance.view.error} /></div>
  if (!data || !dials) return null
  const currency = shown?.figures?.currency ?? workshop().currency
  return (
    <div className="grow grid grid-cols-[minmax(0,1fr)_364px] max-xl:grid-cols-[minmax(0,1fr)_336px] max-lg:grid-cols-1">
      <div className="pl-7 pr-6 pt-3 pb-6 min-w-0">
        <ProblemNote error={balance.error} />
        {data.missing.length > 0 && <Missing missing={data.missing} />}
        {!shown && data.missing.length === 0 && <Empty waiting={data.waiting} busy={balance.busy} onPlan={() => void balance.keep()} />}
        {kept?.state === PlanState.SOLVING && !tried && <Solving plan={kept} onStop={() => void balance.stop()} />}
        {kept?.state === PlanState.REFUSED && !tried && (
          <div role="alert" className="border-l-4 border-accent bg-base-100 px-4 py-3 flex items-center gap-3"><p className="grow">{kept.refusal}</p><button type="button" className="btn btn-outline btn-bench" disabled={balance.busy} onClick={() => void balance.keep()}>Plan again <kbd>P</kbd></button></div>
        )}
        {solved?.unpriced.map((one) => (
          <p key={one.sentence} role="status" className="border-l-4 border-accent bg-base-100 px-4 py-3 mb-2">{one.sentence} <Named slug={slug} tags={one.tags} /> <Link className="link" to="/workshop/prices">Prices</Link></p>
        ))}
        {solved && solved.sought.length > 0 && <Lacking slug={slug} plan={solved} dials={dials} live={data.live} />}
        {solved && <Headline plan={solved} kept={kept} tried={tried} proving={balance.proving} />}
        {solved && <Standing slug={slug} balance={balance} kept={kept} open={open} />}
        {(solved || data.sales_orders.length > 0 || data.pins.length > 0) && (
          <nav className="flex items-end gap-5 max-xl:gap-3 border-b border-base-content mb-2" aria-label="Ways to look at the plan">
            {VIEWS.map(([view, words]) => (
              <button type="button" key={view} aria-current={at === view ? 'page' : undefined} className={`pt-2 pb-1.5 -mb-px ${at === view ? 'font-semibold border-b-[3px] border-base-content' : 'quiet'}`} onClick={() => go(view)}>
                {words}{view === 'wishes' && data.sales_orders.length + data.pins.length > 0 && <span className="quiet font-normal"> {data.sales_orders.length + data.pins.length}</span>}
              </button>
            ))}
            <span className="grow" />
            {at === '' && solved && <CopyCsv headings={['tag', 'model', 'outcome', 'with', 'contribution of the group']} rows={solved.rows.flatMap((row) => row.tags.map((tag) => [tag, row.model, row.end, row.action_words.join('; '), (row.contribution_cents / 100).toFixed(2)]))} />}
            {at === '' && <input className="input input-sm w-40 max-xl:w-28 bg-base-100 mb-1" placeholder="Filter groups" aria-label="Filter groups" value={filter} onChange={(event) => setFilter(event.target.value)} />}
          </nav>
        )}
        {solved && at === '' && <Rows slug={slug} plan={solved} balance={balance} filter={filter} />}
        {solved && at === 'buying' && <Buying slug={slug} plan={solved} />}
        {at === 'wishes' && <Wishes slug={slug} plan={solved} balance={balance} currency={currency} />}
        {at === 'rules' && <WhatIf slug={slug} dials={dials} currency={currency} />}
        {at === 'compare' && <ComparePlans slug={slug} plans={data.plans} />}
      </div>
      <aside aria-label="Dials and what is scarce" className="border-l border-base-300 px-6 max-xl:px-4 pt-3 pb-6 max-lg:border-l-0">
        <Dials slug={slug} dials={dials} data={data} turning={balance.turning} currency={currency} onTurn={balance.turn} />
        {solved && <Scarce slug={slug} plan={solved} dials={dials} live={data.live} currency={currency} />}
      </aside>
    </div>
  )
}

const TAGS_NAMED = 3
const ROWS_OPEN = 1

/** The first few tags, each leading to its unit. */
function Named({ slug, tags }: { slug: string; tags: string[] }) {
  return (
    <>
      {tags.slice(0, TAGS_NAMED).map((tag) => <span key={tag}><Link className="link whitespace-nowrap" to={`/${slug}/inspect/${tag}`}>{tag}</Link> </span>)}
      {tags.length > TAGS_NAMED && <span className="quiet">and {tags.length - TAGS_NAMED} more</span>}
    </>
  )
}

/** What alone keeps units from being sold and nobody has, the dearest first, before anything is approved. */
function Lacking({ slug, plan, dials, live }: { slug: string; plan: Plan; dials: Turned; live: boolean }) {
  const [all, setAll] = useState(false)
  const [found, setFound] = useState<{ of: number; refused: boolean; lines: Schemas['Sought'][] }>({ of: 0, refused: false, lines: [] })
  const { refused, lines } = found.of === plan.number ? found : { refused: false, lines: [] }
  const sought = plan.sought.map((one): Schemas['Sought'] => {
    const told = lines.find((line) => line.kinds.join() === one.kinds.join()) ?? one
    return { ...one, price: told.price, worth_cents: told.worth_cents ?? null }
  })
  const next = plan.number && live && !refused ? sought.slice(0, all ? undefined : ROWS_OPEN).find((one) => one.worth_cents === null) : undefined
  // What may be paid stands as an estimate until the batch is solved with it, a line after the other.
  // biome-ignore lint/correctness/useExhaustiveDependencies: one call for each line, not for each drawing
  useEffect(() => {
    if (!next) return
    const tell = (refused: boolean, more: Schemas['Sought'][]): void => setFound((was) => ({ of: plan.number, refused, lines: was.of === plan.number ? [...was.lines, ...more] : more }))
    ask(api.POST('/api/batches/{slug}/plan/sought', { params: { path: { slug } }, body: { ...dials, kinds: next.kinds, number: plan.number } }))
      .then((line) => tell(false, [line]))
      // Where it cannot be solved the estimates stand, and say that they are.
      .catch(() => tell(true, []))
  }, [plan.number, next?.kinds.join()])
  const units = sought.reduce((sum, one) => sum + one.tags.length, 0)
  const row = (one: Schemas['Sought']) => (
    <li key={one.sentence} className="py-1.5 rule-t">
      {one.sentence} <span className={one.worth_cents === null ? 'quiet' : ''}>{one.price}</span> <Named slug={slug} tags={one.tags} /> <Link className="link whitespace-nowrap" to={`/workshop/kinds?filter=${one.kinds[0]}`}>its offers</Link>
    </li>
  )
  return (
    <section className="border-l-4 border-accent bg-base-100 px-4 py-2.5 mb-2" aria-label="Parts that nobody has">
      <p className="pb-1.5"><b>{count(units, 'unit')} could be sold with parts that are not in stock and that nobody offers.</b> Find a supplier, or pin what becomes of {units === 1 ? 'it' : 'them'}.</p>
      <ul>{sought.slice(0, ROWS_OPEN).map(row)}</ul>
      {sought.length > ROWS_OPEN && <details onToggle={(event) => setAll(event.currentTarget.open)}><summary className="py-1.5 rule-t cursor-pointer">{sought.length - ROWS_OPEN} more</summary><ul>{sought.slice(ROWS_OPEN).map(row)}</ul></details>}
    </section>
  )
}

/** Where what is missing is furnished. */
const ROOMS: Record<Furnishing, [string, string]> = {
  [Furnishing.STANDARDS]: ['/workshop/standards', 'To the standards'],
  [Furnishing.PRICES]: ['/workshop/prices', 'To the prices'],
  [Furnishing.KINDS]: ['/workshop/kinds', 'To parts and offers'],
  [Furnishing.SHEETS]: ['/sheets', 'To the sheets'],
}

/** Nothing is decided before it can be: what is missing, and the way there. */
function Missing({ missing }: { missing: Schemas['Missing'][] }) {
  return (
    <section role="alert" className="border-l-4 border-accent bg-base-100 px-5 py-4 mb-3">
      <h1 className="mb-1">Nothing can be decided yet</h1>
      <ul>
        {missing.map((one) => (
          <li key={one.what} className="py-1.5 flex flex-wrap items-center gap-x-4"><span className="grow">{one.sentence}</span><Link className="btn btn-outline btn-bench" to={ROOMS[one.what][0]}>{ROOMS[one.what][1]}</Link></li>
        ))}
      </ul>
    </section>
  )
}

function Empty({ waiting, busy, onPlan }: { waiting: number; busy: boolean; onPlan: () => void }) {
  return (
    <div className="py-10">
      <h1>{waiting ? `${count(waiting, 'unit')} ${waiting === 1 ? 'waits' : 'wait'} for a decision` : 'No unit waits for a decision'}</h1>
      <p className="my-2">{waiting ? 'Plan them: each gets the outcome that leaves the batch most, with its sum and its reason.' : 'Units come here once they are inspected.'}</p>
      <button type="button" className="btn btn-primary btn-bench" disabled={busy} onClick={onPlan}>Plan the batch <kbd>P</kbd></button>
    </div>
  )
}

function Solving({ plan, onStop }: { plan: Plan; onStop: () => void }) {
  const { goal, best, bound } = plan.progress as { goal?: string; best?: number; bound?: number }
  const settling = goal === 'fewer openings'
  const near = !settling && best !== undefined && bound ? Math.max(0, Math.min(1, best / bound)) : undefined
  return (
    <div role="status" className="py-6">
      <h1>Solving plan {plan.number}</h1>
      <p className="my-2">A worker is at it: {settling ? 'the best is proven; choosing among equals' : goal ?? 'waiting for its turn'}. You can go on elsewhere; the plan stands here when it is done.</p>
      <div className="flex items-center gap-4">
        <progress className="progress w-80" {...(near === undefined ? {} : { value: near, max: 1 })} />
        {near !== undefined && <span className="figures">{goal === Goal.CONTRIBUTION ? `${roundMoney(best ?? 0)} found, at most ${roundMoney(bound ?? 0)}` : `${best} found, bound ${bound}`}</span>}
        <button type="button" className="btn btn-outline btn-bench" disabled={plan.stopped} onClick={onStop}>{plan.stopped ? 'Ending…' : 'End with what is near'}</button>
      </div>
    </div>
  )
}

function Headline({ plan, kept, tried, proving }: { plan: Plan; kept: Plan | null; tried: Plan | null; proving: boolean }) {
  const now = plan.figures
  if (!now) return null
  const old = tried ? kept?.figures : null
  const proven = proving ? 'being proven' : now.gap_percent <= 0 ? 'proven best' : `at most ${figure(now.gap_percent, 2)} % below the best`
  const bound = now.proofs.map((proof) => `${proof.goal}: ${proof.value}, bound ${proof.bound}`).join('; ')
  const figures: [string, string, string][] = [
    [roundMoney(now.contribution_cents, now.currency), `contribution, ${proven}`, change(now.contribution_cents, old?.contribution_cents, (n) => signed(n, now.currency))],
    [String(now.ready), `of ${now.decided} ready`, change(now.ready, old?.ready, plus)],
    [roundMoney(now.spend_cents, now.currency), 'to buy', change(now.spend_cents, old?.spend_cents, (n) => signed(n, now.currency))],
    [hours(now.minutes), `of ${hours(now.bench_minutes)} work`, change(now.minutes, old?.minutes, (n) => `${n > 0 ? '+' : ''}${hours(n)}`)],
  ]
  return (
    <>
    <h1 className="sr-only">The batch in balance</h1>
    <dl className="flex flex-wrap gap-x-8 gap-y-1 mb-1">
      {figures.map(([figure, words, changed]) => (
        <div key={words}>
          <dd className="figure">{figure}{changed && <b className="fitink text-sm ml-2 tracking-normal">{changed}</b>}</dd>
          <dt className="quiet text-sm" title={bound}>{words}</dt>
        </div>
      ))}
    </dl>
    </>
  )
}

/** What differs from the kept plan, in words; nothing where it is the same to the eye. */
const change = (now: number, old: number | undefined, words: (n: number) => string): string => {
  const said = old === undefined ? '' : words(now - old)
  return /[1-9]/.test(said) ? said : ''
}

const plus = (n: number): string => (n > 0 ? `+${n}` : String(n))

/** Whose plan this is and what can be done with it; while a dial is turned: what changed, Keep or Put back. */
function Standing({ slug, balance, kept, open }: { slug: string; balance: Balance; kept: Plan | null; open: number }) {
  const navigate = useNavigate()
  const { data, tried } = balance
  if (!data) return null
  if (balance.touched) {
    const before = endsOf(kept)
    const after = endsOf(tried)
    const changed = [...after].filter(([tag, end]) => before.get(tag)?.whole !== end.whole).length
    return (
      <p className="flex items-center gap-3 mb-2 min-h-11 text-note row-open px-3 -mx-3" role="status">
        <b className="grow">{!tried ? (data.live ? 'Solving…' : 'Dials turned. A worker solves this batch when you keep it.') : changed === 0 ? 'Tried under your hand: every unit ends the same.' : `Tried under your hand: ${count(changed, 'unit')} ${changed === 1 ? 'ends' : 'end'} otherwise.`}</b>
        <button type="button" className="btn btn-outline btn-bench" disabled={balance.busy} onClick={balance.putBack}>Put back <kbd>B</kbd></button>
        <button type="button" className="btn btn-primary btn-bench" disabled={balance.busy} onClick={() => void balance.keep()}>Keep <kbd>K</kbd></button>
      </p>
    )
  }
  if (!kept) return null
  const stale = kept.state === PlanState.SOLVED && kept.figures?.decided !== open - kept.left_out.length
  return (
    <p className="flex items-center gap-3 mb-2 min-h-11 text-note">
      {kept.state === PlanState.APPROVED ? (
        <span>Plan {kept.number}, approved by {kept.approved_by}. {data.waiting > 0 ? `${count(data.waiting, 'unit')} ${data.waiting === 1 ? 'waits' : 'wait'} for the next plan.` : 'No unit waits for a decision.'}</span>
      ) : (
        <span className={stale ? 'fitink font-semibold' : 'quiet'}>{stale ? 'Units were inspected or begun since; plan again.' : `Plan ${kept.number} by ${kept.by}, ${clock(kept.at)}. Nothing is promised before it is approved.`}</span>
      )}
      {data.woken.length > 0 && <span className="doneink">{count(data.woken.length, 'held unit')}: the part has come.</span>}
      <span className="grow" />
      {data.waiting > 0 && <button type="button" className="btn btn-outline btn-bench" disabled={balance.busy || data.missing.length > 0} onClick={() => void balance.keep()}>Plan {data.waiting} <kbd>P</kbd></button>}
      {kept.state === PlanState.SOLVED && <button type="button" className="btn btn-primary btn-bench" disabled={balance.busy || (balance.data?.missing.length ?? 0) > 0} onClick={() => void balance.approve()}>Approve <kbd>A</kbd></button>}
      {kept.state === PlanState.APPROVED && <button type="button" className="btn btn-primary btn-bench" onClick={() => navigate(`/${slug}/fit`)}>To the bench <kbd>F</kbd></button>}
    </p>
  )
}

const FIRST_BEAMS = 9

interface Asked {
  /** The plan's number, else the dials it was tried under. */
  of: string
  checked: Record<string, string>
  worth: Record<string, number>
  refused: string
}
const NOTHING_ASKED: Asked = { of: '', checked: {}, worth: {}, refused: '' }

/** Everything the batch shares, as beams, the worthiest first; each worth can be checked by solving once more. */
function Scarce({ slug, plan, dials, live, currency }: { slug: string; plan: Plan; dials: Turned; live: boolean; currency: string }) {
  const [all, setAll] = useState(false)
  // What was solved once more belongs to one plan; of another one nothing was asked yet.
  const of = plan.number ? String(plan.number) : JSON.stringify(dials)
  const [asked, setAsked] = useState<Asked>(NOTHING_ASKED)
  const { checked, worth, refused } = asked.of === of ? asked : NOTHING_ASKED
  const tell = useCallback((told: (now: Asked) => Partial<Asked>) => setAsked((was) => {
    const now = was.of === of ? was : { ...NOTHING_ASKED, of }
    return { ...now, ...told(now) }
  }), [of])
  const solve = useCallback(async (row: Schemas['Scarce']): Promise<string> => {
    const told = await ask(api.POST('/api/batches/{slug}/plan/one-more', { params: { path: { slug } }, body: { ...dials, key: row.key, number: plan.number } }))
    const gain = told.then.contribution_cents - told.now.contribution_cents
    const ready = told.then.ready - told.now.ready
    tell((now) => ({ worth: { ...now.worth, [row.key]: gain } }))
    return `Solved with ${told.label}: ${signed(gain, currency)}${gain === 0 ? ' (it alone changes nothing whole)' : ''}${ready ? `, ${plus(ready)} ready` : ''}.`
  }, [slug, dials, plan.number, currency, tell])
  const check = async (row: Schemas['Scarce']): Promise<void> => {
    const say = (said: string): void => tell((now) => ({ checked: { ...now.checked, [row.key]: said } }))
    say('solving once more…')
    try {
      say(await solve(row))
    } catch (refusal) {
      say(refusal instanceof Error ? refusal.message : String(refusal))
    }
  }
  const shown = plan.scarce.map((row) => (row.key in worth ? { ...row, worth_cents: worth[row.key] ?? 0, solved: true } : row))
  const next = plan.number && live && !refused ? shown.slice(0, all ? undefined : FIRST_BEAMS).find((row) => !row.solved) : undefined
  // The estimates of a kept plan are solved one after another, the most valuable first.
  // biome-ignore lint/correctness/useExhaustiveDependencies: one call for each line, not for each drawing
  useEffect(() => {
    if (!next) return
    // Where it cannot be solved the estimates stand, and say that they are.
    solve(next).catch((refusal) => tell(() => ({ refused: problemOf(refusal).detail })))
  }, [of, next?.key])
  const rows = all ? shown : shown.slice(0, FIRST_BEAMS)
  return (
    <section className="mt-4">
      <h2 className="flex justify-between mb-2">What is scarce <span className="font-normal quiet text-sm self-end">worth of one more</span></h2>
      {refused && <p className="quiet text-sm mb-1">{refused}</p>}
      <ul>{rows.map((row) => <Beam key={row.key} row={row} currency={currency} checked={checked[row.key] ?? ''} {...(live ? { onCheck: () => void check(row) } : {})} />)}</ul>
      {plan.scarce.length > FIRST_BEAMS && <button type="button" className="quiet underline text-sm" onClick={() => setAll(!all)}>{all ? 'fewer' : `${plan.scarce.length - FIRST_BEAMS} more kinds`}</button>}
    </section>
  )
}
