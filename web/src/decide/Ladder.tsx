import { useState } from 'react'
import { type Schemas, api, ask } from '../api/client'
import { ProblemNote } from '../frame/Problem'
import { usePrinting } from '../frame/printing'
import { figure, money, signed } from '../frame/words'
import type { Turned } from './useBalance'

interface Props {
  slug: string
  ladder: Schemas['LadderView']
  /** The unit that exact ways are solved for; all of the group are alike. */
  tag: string
  dials: Turned | null
  live: boolean
  chosen: number
  currency: string
  onPin: (rung: Schemas['RungView']) => void
}

const FIRST_RUNGS = 8

/** Every option of a group in order of what it leaves the batch, the rejected ones with the fact. */
export function Ladder({ slug, ladder, tag, dials, live, chosen, currency, onPin }: Props) {
  const [all, setAll] = useState(false)
  const [ways, setWays] = useState<Schemas['UnitWays'] | null>(null)
  const [busy, setBusy] = useState(false)
  const [error, setError] = useState<unknown>(null)
  const exactly = async (): Promise<void> => {
    setBusy(true)
    setError(null)
    try {
      setWays(await ask(api.POST('/api/batches/{slug}/plan/ways', { params: { path: { slug } }, body: { ...dials, tag } as Schemas['AskUnit'] })))
    } catch (refusal) {
      setError(refusal)
    } finally {
      setBusy(false)
    }
  }
  const exact = new Map((ways?.ways ?? []).map((way) => [way.key, way]))
  const byFact = new Map<string, string[]>()
  for (const { part, fact } of ways?.refused_parts ?? []) byFact.set(fact, [...(byFact.get(fact) ?? []), part])
  const refused = [...byFact]
  const printing = usePrinting()
  const rungs = all || printing ? ladder.rungs : ladder.rungs.filter((rung, index) => index < FIRST_RUNGS || rung.units > 0)
  return (
    <div className="pt-2">
      <table className="w-full text-note">
        <thead>
          <tr className="rule-b"><th>option</th><th>with</th><th className="text-right">min</th><th className="text-right">price</th><th className="text-right">parts</th><th className="text-right">leaves</th><th className="text-right pl-3">{ways ? 'batch loses' : <span title="What its scarce parts and minutes would leave in other units">worth elsewhere</span>}</th><th className="text-right pl-3">units</th><td /></tr>
        </thead>
        <tbody>
          {rungs.map((rung) => {
            const way = exact.get(rung.key)
            return (
              <tr key={rung.key} className={`rule-b align-top ${rung.units ? 'font-semibold' : ''}`}>
                <td className="pr-3 py-1 whitespace-nowrap">{rung.title}</td>
                <td className="pr-3 py-1">{rung.action_words.join(', ') || 'nothing'}{rung.memory && <span className="block text-sm quiet font-normal">{rung.memory}</span>}</td>
                <td className="text-right py-1">{figure(rung.minutes)}</td>
                <td className="text-right pl-3 py-1 cents">{money(rung.price_cents, currency)}</td>
                <td className="text-right pl-3 py-1 cents">{money(rung.parts_cents, currency)}</td>
                <td className="text-right pl-3 py-1">{signed(rung.contribution_cents, currency)}</td>
                <td className="text-right pl-3 py-1">
                  {ways ? (way ? (way.impossible ? <span title={way.impossible} className="quiet font-normal">no plan has it</span> : way.loss_cents ? money(way.loss_cents, currency) : 'nothing') : '') : rung.scarce_cents ? signed(-rung.scarce_cents, currency) : ''}
                </td>
                <td className="text-right pl-3 py-1">{rung.units || ''}</td>
                <td className="text-right pl-2 py-0.5"><button type="button" className="btn btn-xs btn-outline font-normal" disabled={chosen === 0} onClick={() => onPin(rung)} aria-label={`Pin ${chosen} to ${rung.title} with ${rung.action_words.join(', ') || 'nothing'}`}>Pin</button></td>
              </tr>
            )
          })}
        </tbody>
      </table>
      <p className="flex gap-4 mt-1 text-sm">
        {rungs.length < ladder.rungs.length && <button type="button" className="underline quiet" onClick={() => setAll(true)}>{ladder.rungs.length - rungs.length} more options</button>}
        {live && !ways && <button type="button" className="underline quiet" disabled={busy} onClick={() => void exactly()}>{busy ? 'solving the batch around each option…' : 'solve the batch around each option'}</button>}
      </p>
      <ProblemNote error={error} />
      <ul className="mt-2 text-note">
        {ladder.rejections.map((fact) => <li key={fact}><span className="quiet">not possible · </span>{fact}</li>)}
        {refused.map(([fact, parts]) => <li key={fact} className="text-sm"><span className="quiet">does not fit · </span>{parts.join(', ')}: {fact}</li>)}
        {ways?.dominated.slice(0, 12).map((words) => <li key={words} className="text-sm"><span className="quiet">never better · </span>{words}</li>)}
        {(ways?.dominated.length ?? 0) > 12 && <li className="text-sm quiet">and {(ways?.dominated.length ?? 0) - 12} more that are never better</li>}
      </ul>
    </div>
  )
}
