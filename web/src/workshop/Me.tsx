import { useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { type Schemas, api, ask, rememberToken } from '../api/client'
import { ProblemNote } from '../frame/Problem'
import { useSession } from '../frame/session'
import { labelOf } from '../frame/vocabulary'

/** What each changes about oneself: password, second number, other sessions. */
export function Me() {
  const session = useSession()
  const queries = useQueryClient()
  const [said, setSaid] = useState('')
  const [error, setError] = useState<unknown>(null)
  const [offer, setOffer] = useState<Schemas['SecondOffer'] | null>(null)
  const person = session.data?.person
  if (!person) return null
  const send = async (call: () => Promise<Schemas['Session']>, words: string): Promise<void> => {
    try {
      const now = await call()
      rememberToken(now.csrf_token)
      queries.setQueryData(['session'], now)
      setSaid(words)
      setError(null)
      setOffer(null)
    } catch (refusal) {
      setSaid('')
      setError(refusal)
    }
  }
  const second = (form: HTMLFormElement): void => {
    const given = new FormData(form)
    const body = { secret: offer?.secret ?? '', number: String(given.get('number') ?? ''), password: String(given.get('old') ?? '') }
    void send(() => ask(api.POST('/api/people/me/second', { body })), offer ? 'From now on a second number is asked for.' : 'No second number is asked for any more.')
  }
  return (
    <div className="max-w-xl grid gap-6">
      <section>
        <h1>{person.name}</h1>
        <p className="quiet">signs in as <span className="font-mono">{person.username}</span> · {person.roles.map((role) => labelOf('Role', role)).join(', ')}</p>
        {said && <p role="status" className="border-l-4 border-success bg-base-100 px-4 py-3 mt-3">{said}</p>}
        <ProblemNote error={error} />
      </section>
      <form className="grid gap-3" onSubmit={(event) => { event.preventDefault(); const given = new FormData(event.currentTarget); const form = event.currentTarget; void send(() => ask(api.POST('/api/people/me/password', { body: { old: String(given.get('old')), new: String(given.get('new')) } })), 'The password is changed; your other sessions ended.').then(() => form.reset()) }}>
        <h2>Password</h2>
        <label>The one you have<input name="old" type="password" required autoComplete="current-password" className="input w-full h-11 bg-base-100" /></label>
        <label>The next one, at least ten letters<input name="new" type="password" required minLength={10} autoComplete="new-password" className="input w-full h-11 bg-base-100" /></label>
        <button type="submit" className="btn btn-outline btn-bench justify-self-start">Change it</button>
      </form>
      <section>
        <h2 className="mb-1">A second number</h2>
        {person.second && !offer && (
          <form className="flex gap-3 items-end" onSubmit={(event) => { event.preventDefault(); second(event.currentTarget) }}>
            <label className="grow">It is asked for at sign-in. To end that, your password<input name="old" type="password" required autoComplete="current-password" className="input w-full h-11 bg-base-100" /></label>
            <button type="submit" className="btn btn-outline btn-bench">Ask no more</button>
          </form>
        )}
        {!person.second && !offer && <p>An application on your telephone shows a new number every half minute; whoever has only your password does not get in. <button type="button" className="underline" onClick={() => void ask(api.GET('/api/people/me/second')).then(setOffer, setError)}>Set it up</button></p>}
        {offer && (
          <form className="flex gap-6 items-start" onSubmit={(event) => { event.preventDefault(); second(event.currentTarget) }}>
            <img src={offer.picture} alt="Code for the application" className="bg-white p-2 h-44 w-44" />
            <div className="grid gap-3">
              <p>Photograph it with the application, or type <code className="font-mono break-all">{offer.secret}</code>. Then type the number it shows.</p>
              <label>Number<input name="number" required inputMode="numeric" autoComplete="one-time-code" className="input w-40 h-11 bg-base-100 font-mono block" /></label>
              <button type="submit" className="btn btn-primary btn-bench justify-self-start">Ask for it from now on</button>
            </div>
          </form>
        )}
      </section>
      <section>
        <h2 className="mb-1">Elsewhere</h2>
        <button type="button" className="btn btn-outline btn-bench" onClick={() => void send(() => ask(api.POST('/api/people/me/everywhere')), 'All your other sessions ended.')}>Sign out everywhere else</button>
      </section>
    </div>
  )
}
