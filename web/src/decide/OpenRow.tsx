import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { type Schemas, api, ask, problemOf } from '../api/client'
import { ProblemNote } from '../frame/Problem'
import { termsOf } from '../frame/sum'
import { figure, money } from '../frame/words'
import { Ladder } from './Ladder'
import type { Balance, Plan } from './useBalance'

interface Props {
  slug: string
  row: Schemas['BalanceRow']
  plan: Plan
  balance: Balance
  currency: string
}

/** Why a group ends as it does: the reason, the sum of each unit, the ladder, and the way to overrule it. */
export function OpenRow({ slug, row, plan, balance, currency }: Props) {
  const [chosen, setChosen] = useState<string[]>(row.tags)
  const path = { params: { path: { slug } } }
  const dials = balance.dials
  const units = row.tags.join()
  const ladder = useQuery({
    queryKey: ['ladder', units, slug, plan.number, plan.number ? '' : JSON.stringify(dials), row.group],
    queryFn: () => ask(api.POST('/api/batches/{slug}/plan/ladder', { ...path, body: { ...(plan.number ? { number: plan.number } : dials), group: row.group } as Schemas['AskGroup'] })),
    staleTime: Infinity,
    // The rungs stay under the hand while those of another plan for the same units are worked out.
    placeholderData: (before, from) => (from?.queryKey[1] === units ? before : undefined),
  })
  const tag = row.tags[0] ?? ''
  // The reason is solved a second time; until that is there the estimate says that it is one.
  const because = useQuery({
    queryKey: ['because', slug, plan.number, plan.number ? '' : JSON.stringify(dials), tag],
    queryFn: () => ask(api.POST('/api/batches/{slug}/plan/because', { ...path, body: { ...dials, number: plan.number ?? 0, tag } as Schemas['AskBecause'] })),
    staleTime: Infinity,
    retry: false,
    enabled: balance.data?.live ?? false,
  })
  const pins = new Map((balance.data?.pins ?? []).map((pin) => [pin.tag, pin]))
  const pin = (outcome: Schemas['OutcomeKind'] | null, standard: string, option: string): Promise<boolean> => balance.pin(chosen, outcome, standard, option)
  const note = (words: string): Promise<boolean> =>
    balance.wished(async () => {
      for (const tag of chosen) {
        const now = pins.get(tag)
        await ask(api.POST('/api/batches/{slug}/pins', { ...path, body: { tags: [tag], outcome: now?.outcome ?? null, standard: now?.standard ?? '', option: now?.option ?? '', note: words } }))
      }
    })
  const sums = (ladder.data?.sums ?? []).filter((sum) => row.tags.includes(sum.outcome.tag))
  const first = sums[0]
  const same = sums.every((sum) => sum.outcome.contribution_cents === first?.outcome.contribution_cents && sum.sources.join() === first.sources.join())
  const pinned = chosen.some((tag) => pins.get(tag)?.outcome)
  return (
    <div className="bg-base-100 px-4 pt-3 pb-4">
      <ProblemNote error={ladder.error} />
      {ladder.isPending && <p className="quiet">Working out the ladder…</p>}
      {first && (
        <>
          {/* Room for the reason as it is solved: what stands below is not moved from under the hand. */}
          <div className="min-h-[3lh]">
            {because.data ? <Because because={because.data} currency={currency} /> : <p><b>Why: </b>{first.outcome.reason} <span className="quiet text-sm">{because.isFetching ? 'Estimate; solving it again with the better way forced…' : `Estimate.${because.error ? ` ${problemOf(because.error).detail}` : ''}`}</span></p>}
            {!because.data && first.outcome.runner_up && <p className="text-note"><span className="quiet">Runner-up: </span>{first.outcome.runner_up} <span className="quiet">{first.outcome.loss_cents ? 'would cost the batch about' : 'is as good for the batch, its scarce parts and minutes counted.'}</span>{first.outcome.loss_cents > 0 && <> <b>{money(first.outcome.loss_cents, currency)}</b> <span className="quiet">a unit, its scarce parts and minutes counted.</span></>}</p>}
          </div>
          {(same ? sums.slice(0, 1) : sums).map((sum) => <OneSum key={sum.outcome.tag} sum={sum} each={same && sums.length > 1} currency={currency} />)}
        </>
      )}
      <div className="flex flex-wrap items-center gap-x-2 gap-y-1 mt-3" role="group" aria-label="Units of this group">
        {row.tags.length > 1 && <span className="quiet text-sm">Decide for</span>}
        {row.tags.length > 1 && row.tags.map((tag) => (
          <label key={tag} className={`tag text-sm px-1.5 py-1 border cursor-pointer ${chosen.includes(tag) ? 'border-base-content bg-base-200' : 'border-base-300 quiet'}`}>
            <input type="checkbox" className="sr-only" checked={chosen.includes(tag)} onChange={(event) => setChosen(event.target.checked ? [...chosen, tag].sort() : chosen.filter((other) => other !== tag))} />
            {tag}{pins.get(tag)?.outcome && ' ●'}
          </label>
        ))}
        {row.tags.length > 1 && <button type="button" className="quiet underline text-sm" onClick={() => setChosen(chosen.length === row.tags.length ? row.tags.slice(0, 1) : row.tags)}>{chosen.length === row.tags.length ? 'only the first' : 'all'}</button>}
        <span className="grow" />
        {pinned && <button type="button" className="btn btn-sm btn-outline" onClick={() => void pin(null, '', '')}>Take the pin off</button>}
        <form className="flex gap-1" onSubmit={(event) => { event.preventDefault(); void note(new FormData(event.currentTarget).get('note') as string) }}>
          <input key={chosen.join()} name="note" className="input input-sm w-56 bg-base-100" placeholder="Note on these units" aria-label="Note" maxLength={200} defaultValue={pins.get(chosen[0] ?? '')?.note ?? ''} />
          <button type="submit" className="btn btn-sm btn-outline" disabled={chosen.length === 0}>Note</button>
        </form>
      </div>
      {ladder.data && <Ladder slug={slug} ladder={ladder.data} tag={row.tags[0] ?? ''} dials={dials} live={balance.data?.live ?? false} chosen={chosen.length} currency={currency} onPin={(rung) => void pin(rung.outcome, rung.standard, rung.key)} />}
    </div>
  )
}

/** To the cent, a gain with its sign. */
const plusMoney = (cents: number, currency: string): string => (cents > 0 ? `+${money(cents, currency)}` : money(cents, currency))

/** The reason as it was solved, and who would pay for the better way, to the cent. */
function Because({ because, currency }: { because: Schemas['Because']; currency: string }) {
  return (
    <>
      <p><b>Why: </b>{because.sentence}</p>
      {because.paid_by.length > 1 && (
        <details className="text-note">
          <summary className="quiet cursor-pointer">Who would pay for it, to the cent</summary>
          <table className="mt-1">
            <tbody>
              {because.paid_by.map((paid) => (
                <tr key={`${paid.tags.join()} ${paid.before}`} className="rule-b align-top">
                  <td className="pr-4 py-0.5 tag">{paid.tags.join(' ')}</td>
                  <td className="pr-4 py-0.5 quiet">{paid.model}</td>
                  <td className="pr-4 py-0.5">{paid.before} → {paid.after}</td>
                  <td className="text-right py-0.5 cents">{plusMoney(-paid.loss_cents, currency)}</td>
                </tr>
              ))}
              <tr className="font-semibold"><td className="py-0.5" colSpan={3}>the batch</td><td className="text-right py-0.5 cents">{plusMoney(-because.loss_cents, currency)}</td></tr>
            </tbody>
          </table>
        </details>
      )}
    </>
  )
}

/** The sum of one unit, as a sentence of figures with the places its parts come from. */
function OneSum({ sum, each, currency }: { sum: Schemas['Sum']; each: boolean; currency: string }) {
  const { outcome } = sum
  return (
    <p className="text-note mt-1">
      <span className="inline-block mr-3">{each ? <b>each</b> : <span className="tag">{outcome.tag}</span>}</span>
      {termsOf(outcome).map(([name, cents]) => <span key={name} className="inline-block mr-3 whitespace-nowrap"><span className="quiet">{name}</span> {money(cents, currency)}</span>)}
      <b className="inline-block whitespace-nowrap">= {money(outcome.contribution_cents, currency)}</b>
      {outcome.minutes > 0 && <span className="quiet whitespace-nowrap"> in {figure(outcome.minutes)} min</span>}
      {sum.sources.length > 0 && <span className="block quiet">{sum.sources.join(', ')}</span>}
    </p>
  )
}
