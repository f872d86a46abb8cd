import { useQuery, useQueryClient } from '@tanstack/react-query'
import { LogOut, Moon, Sun } from 'lucide-react'
import { useEffect } from 'react'
import { Link, NavLink, Outlet, useLocation, useNavigate, useParams } from 'react-router'
import { api, ask, lostOf } from '../api/client'
import { Caught } from './Caught'
import { KeyHelp } from './KeyHelp'
import { Outbox } from './Outbox'
import { ProblemNote } from './Problem'
import { ScanBox } from './ScanBox'
import { ScanListener } from './ScanListener'
import { STAGES, Stages } from './Stages'
import { Undo } from './Undo'
import { useLive } from './live'
import { useSession } from './session'
import { useTheme } from './theme'
import { headingOf } from './vocabulary'
import { count, day } from './words'

const AGAIN_MS = 3_000

export const useBatch = (slug: string) =>
  useQuery({
    queryKey: ['batch', slug],
    queryFn: () => ask(api.GET('/api/batches/{slug}', { params: { path: { slug } } })),
    enabled: Boolean(slug),
    // Read again by itself as long as it could not be.
    refetchInterval: (query) => (query.state.status === 'error' ? AGAIN_MS : false),
  })

/** Screens that are read from where the hands are at work. */
const AT_ARMS_LENGTH = /^\/(([^/]+\/)?(arrive|inspect|fit|release|dangers)|shelf|unit)(\/|$)/

/** Its tag stands last: /batch/stage/TAG, or /unit/TAG. */
const OPEN_UNIT = /^\/(?:unit|[^/]+\/[^/]+)\/([^/]+)$/

/** The frame of every page: batch, stages with counts, scan box. */
export function Frame() {
  const { batch: slug = '' } = useParams()
  const session = useSession()
  const batch = useBatch(slug)
  const [theme, switchTheme] = useTheme()
  const navigate = useNavigate()
  const { pathname } = useLocation()
  const queries = useQueryClient()
  const person = session.data?.person
  const [, open = ''] = OPEN_UNIT.exec(pathname) ?? []
  useLive(slug, open, person?.name ?? '')

  useEffect(() => {
    if (session.data && !person) location.assign('/sign-in')
  }, [session.data, person])
  useEffect(() => {
    // Which unit, at which stage, of which batch: tabs are told apart by it.
    const [, , stage = '', tag = ''] = pathname.split('/')
    const at = STAGES.find((one) => one === stage)
    const parts = [tag, at ? headingOf('Stage', at) : '', batch.data?.name ?? '', 'Sortis']
    document.title = parts.filter(Boolean).join(' · ')
  }, [batch.data, pathname])
  useEffect(() => {
    const pressed = (event: KeyboardEvent): void => {
      const stage = STAGES[Number(event.key) - 1]
      if (event.altKey && slug && stage) {
        event.preventDefault()
        navigate(`/${slug}/${stage}`)
      }
    }
    addEventListener('keydown', pressed)
    return () => removeEventListener('keydown', pressed)
  }, [slug, navigate])

  const signOut = async (): Promise<void> => {
    await ask(api.DELETE('/api/session'))
    queries.clear()
    location.assign('/sign-in')
  }
  if (!person) return session.error ? <ProblemNote error={session.error} /> : null
  const link = ({ isActive }: { isActive: boolean }) => `px-1 py-1 ${isActive ? 'font-bold underline underline-offset-4' : 'quiet hover:underline'}`
  return (
    <div className={`min-h-dvh flex flex-col ${AT_ARMS_LENGTH.test(pathname) ? 'bench' : ''}`}>
      <header className="flex flex-wrap items-center gap-x-4 max-xl:gap-x-2.5 gap-y-1 px-7 min-h-14 py-1 max-sm:px-4">
        <span className="leading-tight min-w-0 max-w-64">
          <Link to="/" className="font-bold text-lg block truncate pointer-coarse:py-2" title="All batches">{batch.data?.name ?? 'Sortis'}</Link>
          {batch.data && <span className="quiet text-sm whitespace-nowrap max-xl:hidden">{count(batch.data.units, 'unit')} · due {day(batch.data.due_on)}</span>}
        </span>
        <span className="grow" />
        <nav aria-label="Workshop" className="flex flex-wrap gap-x-2 max-xl:gap-x-1">
          <NavLink to="/" end className={link}>Batches</NavLink>
          <NavLink to={slug ? `/${slug}/day` : '/day'} className={link}>Day</NavLink>
          <NavLink to={slug ? `/${slug}/stock` : '/stock'} className={link}>Stock</NavLink>
          <NavLink to={slug ? `/${slug}/sheets` : '/sheets'} className={link}>Sheets</NavLink>
          <NavLink to={slug ? `/${slug}/dangers` : '/dangers'} className={link}>Dangers</NavLink>
          <NavLink to="/shelf" className={link}>Shelf</NavLink>
          <NavLink to="/workshop/settings" className={link}>Workshop</NavLink>
        </nav>
        <ScanBox />
        <KeyHelp />
        <button type="button" className="btn btn-ghost btn-sm px-1" onClick={switchTheme} aria-label={theme === 'tide-day' ? 'Dark theme' : 'Light theme'}>
          {theme === 'tide-day' ? <Moon size={18} /> : <Sun size={18} />}
        </button>
        <Link to="/workshop/me" className="hover:underline whitespace-nowrap text-note">{person.name.split(' ')[0]}</Link>
        <button type="button" className="btn btn-ghost btn-sm px-1 font-normal -ml-2" onClick={signOut} title="Sign out">
          <LogOut size={16} aria-label="Sign out" />
        </button>
      </header>
      {slug && batch.data && (
        <div className="px-7">
          <Stages batch={slug} counts={batch.data.counts} />
        </div>
      )}
      <Outbox />
      {batch.error && !lostOf(batch) && (
        <p role="status" className="mx-7 my-2 px-4 py-2 bg-base-100 border-l-4 border-accent">Sortis does not answer just now. What stands here is how it was a moment ago; it is read again by itself, and nothing that you typed is lost.</p>
      )}
      <Undo />
      <ScanListener />
      <main className="grow flex flex-col max-sm:overflow-x-auto">
        {lostOf(batch) ? <div className="page"><ProblemNote error={batch.error} /></div> : <Caught at={pathname}><Outlet /></Caught>}
      </main>
    </div>
  )
}
