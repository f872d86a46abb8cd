import { useRef, useState } from 'react'
import { api, ask, problemOf } from '../api/client'
import { ProblemNote } from '../frame/Problem'
import { useSession } from '../frame/session'
import { useTheme } from '../frame/theme'
import { Entry } from './Entry'

/** The page that was asked for, where it is one of ours: a link from elsewhere leads nowhere else. */
function hereOnly(next: string | null): string {
  const asked = URL.canParse(next ?? '/', location.origin) ? new URL(next ?? '/', location.origin) : null
  return asked?.origin === location.origin ? asked.pathname + asked.search + asked.hash : '/'
}

/** Signing in; afterwards the page that was asked for opens. */
export function SignIn() {
  const session = useSession()
  useTheme()
  const [error, setError] = useState<unknown>(null)
  const [username, setUsername] = useState('')
  const [password, setPassword] = useState('')
  const [number, setNumber] = useState('')
  const [second, setSecond] = useState(false)
  const secret = useRef<HTMLInputElement>(null)
  const send = async (): Promise<void> => {
    try {
      if (!session.data) await session.refetch()
      await ask(api.POST('/api/session', { body: { username, password, number } }))
      location.assign(hereOnly(new URLSearchParams(location.search).get('next')))
    } catch (refusal) {
      setSecond(second || problemOf(refusal).facts.second === true)
      setError(refusal)
    }
  }
  return (
    <Entry title="Sortis">
      <form
        onSubmit={(event) => {
          event.preventDefault()
          // A badge that is scanned ends with Enter: the password comes next.
          if (password) void send()
          else secret.current?.focus()
        }}
      >
        <p className="quiet mb-4">From a pallet of unknown machines to units that can be sold.</p>
        <label className="block mb-3">
          Name, or scan your badge
          <input className="input input-bordered w-full h-11 mt-1.5" autoFocus autoComplete="username" value={username} onChange={(event) => setUsername(event.target.value)} />
        </label>
        <label className="block mb-5">
          Password
          <input ref={secret} type="password" className="input input-bordered w-full h-11 mt-1.5" autoComplete="current-password" value={password} onChange={(event) => setPassword(event.target.value)} />
        </label>
        {second && (
          <label className="block mb-5">
            Number that your application shows
            <input className="input input-bordered w-full h-11 mt-1.5 font-mono" inputMode="numeric" autoComplete="one-time-code" autoFocus value={number} onChange={(event) => setNumber(event.target.value)} />
          </label>
        )}
        <ProblemNote error={error} />
        <button type="submit" className="btn btn-primary w-full btn-bench">Sign in</button>
      </form>
    </Entry>
  )
}
