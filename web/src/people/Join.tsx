import { useQuery } from '@tanstack/react-query'
import { type FormEvent, useState } from 'react'
import { api, ask, problemOf } from '../api/client'
import { ProblemNote } from '../frame/Problem'
import { useSession } from '../frame/session'
import { useTheme } from '../frame/theme'
import { Entry } from './Entry'

/** Somebody follows an invitation: a name and a password of their own, or a new password. */
export function Join() {
  const session = useSession()
  useTheme()
  const link = new URLSearchParams(location.search).get('key') ?? ''
  const who = useQuery({ queryKey: ['invited', link], queryFn: () => ask(api.POST('/api/people/who', { body: { link, username: '', password: '' } })), enabled: Boolean(session.data) })
  const [error, setError] = useState<unknown>(null)
  if (who.error) return <Entry title="This link does not work"><p className="mb-4">{problemOf(who.error).detail}</p><a className="underline" href="/sign-in">Sign in</a></Entry>
  if (!who.data) return null
  const send = async (event: FormEvent<HTMLFormElement>): Promise<void> => {
    event.preventDefault()
    const given = new FormData(event.currentTarget)
    try {
      await ask(api.POST('/api/people/join', { body: { link, username: String(given.get('username') ?? ''), password: String(given.get('password') ?? '') } }))
      location.assign('/')
    } catch (refusal) {
      setError(refusal)
    }
  }
  return (
    <Entry title={`Welcome, ${who.data.name}`}>
      <p className="quiet mb-4">{who.data.username ? `Choose a new password for ${who.data.username}.` : 'Choose a name to sign in with, and a password.'}</p>
      <form className="grid gap-3" onSubmit={send}>
        {!who.data.username && <label>Name to sign in with<input name="username" required maxLength={40} autoFocus autoComplete="username" className="input w-full h-11" /></label>}
        <label>Password, at least ten letters<input name="password" type="password" required minLength={10} autoComplete="new-password" className="input w-full h-11" /></label>
        <ProblemNote error={error} />
        <button type="submit" className="btn btn-primary btn-bench">Go on</button>
      </form>
    </Entry>
  )
}
