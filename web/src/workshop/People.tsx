import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { type Schemas, api, ask, lostOf } from '../api/client'
import type { Role } from '../api/vocabulary'
import { DayField, dayGiven } from '../frame/DayField'
import { ProblemNote } from '../frame/Problem'
import { choicesOf, explained, labelOf } from '../frame/vocabulary'
import { clock, day } from '../frame/words'

const peopleQuery = { queryKey: ['people'], queryFn: () => ask(api.GET('/api/people')) }

/** Who works here: invited by link, with roles, away, gone; what they did keeps their name. */
export function People() {
  const query = useQuery(peopleQuery)
  const queries = useQueryClient()
  const [open, setOpen] = useState<string | null>(null)
  const [link, setLink] = useState('')
  const [error, setError] = useState<unknown>(null)
  if (lostOf(query)) return <ProblemNote error={query.error} />
  const view = query.data
  if (!view) return null
  const change = async (call: () => Promise<Schemas['PeopleView']>): Promise<void> => {
    try {
      queries.setQueryData(peopleQuery.queryKey, await call())
      setError(null)
      setOpen(null)
    } catch (refusal) {
      setError(refusal)
    }
  }
  const invite = async (body: Partial<Schemas['NewInvitation']>): Promise<void> => {
    try {
      const made = await ask(api.POST('/api/people/invitations', { body: { name: '', roles: [], username: '', ...body } }))
      setLink(location.origin + made.link)
      setError(null)
      await queries.invalidateQueries({ queryKey: ['people'] })
    } catch (refusal) {
      setError(refusal)
    }
  }
  return (
    <div className="grid grid-cols-[minmax(0,1fr)_22rem] gap-10 max-lg:grid-cols-1">
      <section>
        <div className="flex items-baseline gap-6 mb-2">
          <h1>People</h1>
          <a className="underline" href="/api/people/badges.pdf" target="_blank" rel="noreferrer">Badges to print</a>
        </div>
        <ProblemNote error={error} />
        <ul>
          {view.people.map((one) => (
            <li key={one.username} className={`rule-t py-2.5 ${one.here ? '' : 'quiet'}`}>
              <div className="flex flex-wrap items-baseline gap-x-4">
                <b className="w-44">{one.name}</b>
                <span className="font-mono w-28">{one.username}</span>
                <span className="grow basis-0 min-w-48">{one.here ? one.roles.map((role) => labelOf('Role', role)).join(', ') : 'left; the record stays'}{one.away_until && ` · away until ${day(one.away_until)}`}{one.second && ' · second number'}</span>
                <span className="quiet text-note">{one.last_sign_in ? `${day(one.last_sign_in)} ${clock(one.last_sign_in)}` : 'never signed in'}</span>
                <button type="button" className="underline" aria-expanded={open === one.username} onClick={() => setOpen(open === one.username ? null : one.username)}>change</button>
              </div>
              {open === one.username && <PersonForm person={one} onKeep={(body) => void change(() => ask(api.PUT('/api/people/{username}', { params: { path: { username: one.username } }, body })))} onLost={() => void invite({ username: one.username })} />}
            </li>
          ))}
        </ul>
      </section>
      <aside aria-label="Invite somebody">
        <h2 className="mb-1">Invite somebody</h2>
        <form className="grid gap-3" onSubmit={(event) => { event.preventDefault(); const given = new FormData(event.currentTarget); void invite({ name: String(given.get('name')), roles: given.getAll('role') as Role[] }) }}>
          <label>Name<input name="name" required maxLength={80} className="input w-full h-11 bg-base-100" /></label>
          <Roles chosen={[]} />
          <button type="submit" className="btn btn-primary btn-bench">Make a link</button>
        </form>
        {link && (
          <p role="status" className="border-l-4 border-success bg-base-100 px-4 py-3 my-3 break-all">Hand this link over; it works once, for a week, and is not shown again.<br /><code className="font-mono text-sm">{link}</code> <button type="button" className="underline block mt-1" onClick={() => void navigator.clipboard?.writeText(link)}>copy it</button></p>
        )}
        {view.invited.length > 0 && (
          <>
            <h2 className="mt-5 mb-1">Invited, not here yet</h2>
            <ul>{view.invited.map((one) => <li key={one.id} className="rule-t py-2 flex gap-3"><span className="grow">{one.name} <span className="quiet">{one.roles.map((role) => labelOf('Role', role)).join(', ')}</span></span><button type="button" className="underline" onClick={() => void change(() => ask(api.DELETE('/api/people/invitations/{number}', { params: { path: { number: one.id } } })))}>take back</button></li>)}</ul>
          </>
        )}
      </aside>
    </div>
  )
}

function Roles({ chosen }: { chosen: readonly string[] }) {
  return (
    <fieldset className="grid gap-1">
      <legend className="mb-1">Roles</legend>
      {choicesOf('Role').map(([code, label]) => (
        <label key={code} className="flex gap-2.5 items-start"><input type="checkbox" className="checkbox checkbox-sm mt-0.5" name="role" value={code} defaultChecked={chosen.includes(code)} /><span>{label} <span className="quiet text-note">{explained('Role', code)}</span></span></label>
      ))}
    </fieldset>
  )
}

function PersonForm({ person, onKeep, onLost }: { person: Schemas['PersonView']; onKeep: (body: Schemas['PersonChange']) => void; onLost: () => void }) {
  return (
    <form className="bg-base-100 border border-base-300 p-4 mt-2 grid gap-3" onSubmit={(event) => {
      event.preventDefault()
      const given = new FormData(event.currentTarget)
      onKeep({ name: String(given.get('name')), roles: given.getAll('role') as Role[], here: given.get('here') === 'yes', away_until: dayGiven(given, 'away') || null })
    }}>
      <div className="flex flex-wrap gap-3 items-end">
        <label>Name<input name="name" required maxLength={80} defaultValue={person.name} className="input h-11 w-60 bg-base-100 block" /></label>
        <DayField label="Away until" name="away" begins={person.away_until ?? ''} className="input h-11 w-44 bg-base-100" />
        <label className="flex gap-2 items-center h-11"><input type="checkbox" className="checkbox" name="here" value="yes" defaultChecked={person.here} />works here</label>
      </div>
      <Roles chosen={person.roles} />
      <div className="flex gap-3">
        <button type="submit" className="btn btn-primary btn-bench">Keep</button>
        {person.here && <button type="button" className="underline" onClick={onLost}>a link for a new password</button>}
      </div>
    </form>
  )
}
