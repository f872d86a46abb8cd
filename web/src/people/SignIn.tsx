import { useState } from 'react'
import { api, ask } from '../api/client'
import { ProblemNote } from '../frame/Problem'
import { useSession } from '../frame/session'
import { useTheme } from '../frame/theme'

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
  return (
    <main className="min-h-dvh grid place-items-center p-6">
      <form
        className="w-96 bg-base-100 border border-base-300 p-8"
        onSubmit={async (event) => {
          event.preventDefault()
          try {
            if (!session.data) await session.refetch()
            await ask(api.POST('/api/session', { body: { username, password } }))
            location.assign(hereOnly(new URLSearchParams(location.search).get('next')))
          } catch (refusal) {
            setError(refusal)
          }
        }}
      >
        <svg viewBox="0 0 220 34" className="h-9 mb-5" role="img" aria-label="Sortis">
          <rect x="0" y="2" width="12" height="30" fill="currentColor" />
          <rect x="18" y="3" width="10" height="28" fill="none" stroke="currentColor" strokeWidth="2" />
          <rect x="34" y="2" width="46" height="12" fill="currentColor" />
          <rect x="87" y="3" width="70" height="28" fill="none" stroke="currentColor" strokeWidth="2" />
          <rect x="87" y="2" width="48" height="30" fill="currentColor" />
          <rect x="166" y="3" width="12" height="28" fill="none" stroke="var(--fit)" strokeWidth="3" />
        </svg>
        <h1 className="mb-1">Sortis</h1>
        <p className="quiet mb-4">From a pallet of unknown machines to units that can be sold.</p>
        <label className="block mb-3">
          Name
          <input className="input input-bordered w-full h-11" autoFocus autoComplete="username" value={username} onChange={(event) => setUsername(event.target.value)} />
        </label>
        <label className="block mb-5">
          Password
          <input type="password" className="input input-bordered w-full h-11" autoComplete="current-password" value={password} onChange={(event) => setPassword(event.target.value)} />
        </label>
        <ProblemNote error={error} />
        <button type="submit" className="btn btn-primary w-full btn-bench">Sign in</button>
      </form>
    </main>
  )
}
