import { NavLink, Navigate, useParams } from 'react-router'
import { useSession } from '../frame/session'
import { AsFile } from './AsFile'
import { Kinds } from './Kinds'
import { Me } from './Me'
import { People } from './People'
import { Prices } from './Prices'
import { Settings } from './Settings'
import { Standards } from './Standards'

const ROOMS = [
  ['settings', 'Workshop', Settings],
  ['standards', 'Standards', Standards],
  ['prices', 'Prices', Prices],
  ['kinds', 'Parts and offers', Kinds],
  ['people', 'People', People],
  ['file', 'As a file', AsFile],
  ['me', 'Yourself', Me],
] as const

/** What a workshop sets for itself, a room each. */
export function Workshop() {
  const { room = '' } = useParams()
  const session = useSession()
  const here = ROOMS.find(([key]) => key === room)
  if (!here) return <Navigate replace to="/workshop/settings" />
  const [, , Room] = here
  return (
    <div className="page grow">
      <nav aria-label="Rooms of the workshop" className="flex flex-wrap gap-x-6 gap-y-1 border-b border-base-content mb-4">
        {ROOMS.map(([key, words]) => (
          <NavLink key={key} to={`/workshop/${key}`} className={({ isActive }) => `py-2 ${isActive ? 'font-bold border-b-[3px] border-base-content -mb-px' : 'quiet hover:underline'}`}>{words}</NavLink>
        ))}
      </nav>
      {session.data?.person && <Room />}
    </div>
  )
}
