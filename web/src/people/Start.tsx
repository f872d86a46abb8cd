import { useQuery } from '@tanstack/react-query'
import { type FormEvent, useState } from 'react'
import { api, ask, rememberToken } from '../api/client'
import { ProblemNote } from '../frame/Problem'
import { useSession } from '../frame/session'
import { useTheme } from '../frame/theme'
import { Entry } from './Entry'

/** The first start of an empty database: the workshop, its first person, what it begins with. */
export function Start() {
  const session = useSession()
  useTheme()
  const key = new URLSearchParams(location.search).get('key') ?? ''
  const asked = useQuery({ queryKey: ['start', key], queryFn: () => ask(api.POST('/api/furnish/start/asked', { body: { key } })), enabled: Boolean(session.data) })
  const [error, setError] = useState<unknown>(null)
  const [begin, setBegin] = useState('')
  const [busy, setBusy] = useState(false)
  const chosen = begin || asked.data?.begin[0]?.code || ''
  const send = async (event: FormEvent<HTMLFormElement>): Promise<void> => {
    event.preventDefault()
    const given = new FormData(event.currentTarget)
    const text = (name: string): string => String(given.get(name) ?? '').trim()
    setError(null)
    setBusy(true)
    try {
      const now = await ask(api.POST('/api/furnish/start', {
        body: {
          key,
          settings: { name: text('workshop'), currency: text('currency').toUpperCase(), locale: text('locale'), tag_prefix: text('prefix').toUpperCase() },
          begin: chosen as 'starter',
          username: text('username'),
          name: text('name'),
          password: String(given.get('password') ?? ''),
        },
      }))
      rememberToken(now.csrf_token)
      location.assign('/')
    } catch (refusal) {
      setError(refusal)
    } finally {
      setBusy(false)
    }
  }
  if (asked.error || asked.data?.open === false) {
    return <Entry title="Sortis is set up already"><p className="mb-4">Somebody was set up here already, or the link is another one. The link stands where Sortis was started, and works once.</p><a className="underline" href="/sign-in">Sign in</a></Entry>
  }
  if (!asked.data) return null
  return (
    <Entry title="Set your workshop up" wide>
      <p className="quiet mb-4">A few lines; all of it can be changed later, but the currency once there are prices.</p>
      <form className="grid gap-4" onSubmit={send}>
        <fieldset className="grid grid-cols-2 gap-3 max-sm:grid-cols-1">
          <legend className="font-bold mb-1">The workshop</legend>
          <label className="col-span-full">Name<input name="workshop" required maxLength={80} autoFocus className="input w-full h-11 bg-base-100" /></label>
          <label>Currency, three letters<input name="currency" required pattern="[A-Za-z]{3}" maxLength={3} defaultValue="EUR" className="input w-full h-11 bg-base-100 uppercase" /></label>
          <label>Tags begin with<input name="prefix" required pattern="[A-Za-z]{1,4}" maxLength={4} placeholder="TW" className="input w-full h-11 bg-base-100 uppercase" /></label>
          <label className="col-span-full">Language and country of dates and figures, like de-CH; blank: as each browser does<input name="locale" maxLength={20} defaultValue={navigator.language} className="input w-full h-11 bg-base-100" /></label>
        </fieldset>
        <fieldset className="grid grid-cols-2 gap-3 max-sm:grid-cols-1">
          <legend className="font-bold mb-1">You, in every role</legend>
          <label>Your name<input name="name" required maxLength={80} autoComplete="name" className="input w-full h-11 bg-base-100" /></label>
          <label>Name to sign in with<input name="username" required maxLength={40} autoComplete="username" className="input w-full h-11 bg-base-100" /></label>
          <label className="col-span-full">Password, at least ten letters<input name="password" type="password" required minLength={10} autoComplete="new-password" className="input w-full h-11 bg-base-100" /></label>
        </fieldset>
        <fieldset>
          <legend className="font-bold mb-1">Begin with</legend>
          {asked.data.begin.map((one) => (
            <label key={one.code} className="flex gap-3 items-start py-1.5">
              <input type="radio" name="begin" className="radio mt-0.5" checked={chosen === one.code} onChange={() => setBegin(one.code)} />
              <span><b>{one.label}</b> <span className="quiet block">{one.explained}</span></span>
            </label>
          ))}
          <p className="quiet text-note">A file of another workshop can be read afterwards, under Workshop, As a file.</p>
        </fieldset>
        <ProblemNote error={error} />
        <button type="submit" className="btn btn-primary btn-bench" disabled={busy}>{busy ? 'Setting up…' : 'Set it up'}</button>
      </form>
    </Entry>
  )
}
