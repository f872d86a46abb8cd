import { useEffect, useState } from 'react'
import { Link } from 'react-router'
import { type Schemas, api, ask } from '../api/client'
import { ProblemNote } from '../frame/Problem'
import { count, signed } from '../frame/words'

const RESTS_MS = 700
const SHOWN = 6

interface Props<Asked> {
  /** What would be kept; null while nothing is changed. */
  asked: Asked | null
  call: (asked: Asked) => Promise<Schemas['BatchEffect'][]>
  note?: string
}

export const ofStandards = (asked: Schemas['TryStandards']): Promise<Schemas['BatchEffect'][]> => ask(api.POST('/api/furnish/standards/effect', { body: asked }))
export const ofSchools = (asked: Schemas['Policy']): Promise<Schemas['BatchEffect'][]> => ask(api.POST('/api/furnish/settings/effect', { body: asked }))

/** Which units of open batches would end otherwise, solved before anything is kept. */
export function Effect<Asked>({ asked, call, note }: Props<Asked>) {
  const [found, setFound] = useState<Schemas['BatchEffect'][] | null>(null)
  const [error, setError] = useState<unknown>(null)
  const [busy, setBusy] = useState(false)
  const told = asked ? JSON.stringify(asked) : ''
  useEffect(() => {
    setFound(null)
    setError(null)
    if (!told) return
    let gone = false
    setBusy(true)
    const timer = setTimeout(() => {
      call(JSON.parse(told) as Asked)
        .then((effects) => { if (!gone) setFound(effects) })
        .catch((refusal: unknown) => { if (!gone) setError(refusal) })
        .finally(() => { if (!gone) setBusy(false) })
    }, RESTS_MS)
    return () => {
      gone = true
      clearTimeout(timer)
    }
  }, [told, call])
  if (!asked) return <aside aria-label="If you keep this" className="quiet"><h2 className="text-base-content mb-1">If you keep this</h2>Change something, and the open batches are planned again to see what it would do.</aside>
  const moved = found?.reduce((sum, one) => sum + (one.changed?.length ?? 0), 0) ?? 0
  const all = found?.reduce((sum, one) => sum + one.units, 0) ?? 0
  const leaves = found?.reduce((sum, one) => sum + (one.contribution_cents ?? 0), 0) ?? 0
  return (
    <aside aria-label="If you keep this" aria-busy={busy}>
      <h2 className="mb-1">If you keep this</h2>
      {note && <p className="quiet mb-2">{note}</p>}
      <ProblemNote error={error} />
      {busy && <p className="quiet">Planning the open batches again…</p>}
      {found && found.length === 0 && <p className="quiet">No unit waits to be decided, so nothing changes now.</p>}
      {found && found.length > 0 && (
        <p className="flex gap-6 mb-3"><span><b className={`figure block ${leaves > 0 ? 'doneink' : ''}`}>{signed(leaves)}</b><span className="quiet text-note">open batches leave</span></span><span><b className="figure block">{moved}</b><span className="quiet text-note">of {count(all, 'unit')} end otherwise</span></span></p>
      )}
      {found?.map((one) => (
        <section key={one.batch} className="mb-3">
          <h3 className="flex justify-between border-b border-base-content"><Link className="hover:underline" to={`/${one.batch}/decide`}>{one.name}</Link>{!one.untried && <span>{signed(one.contribution_cents ?? 0)}</span>}</h3>
          {one.untried && <p className="quiet text-note">{one.untried}</p>}
          <ul>{(one.changed ?? []).slice(0, SHOWN).map((unit) => <li key={unit.tag} className="rule-b py-1 text-note"><span className="tag">{unit.tag}</span> {unit.model}<span className="block"><span className="quiet">{unit.was}</span> → <b className="fitink">{unit.now}</b></span></li>)}</ul>
          {(one.changed?.length ?? 0) > SHOWN && <p className="quiet text-note">and {(one.changed?.length ?? 0) - SHOWN} more</p>}
        </section>
      ))}
    </aside>
  )
}
