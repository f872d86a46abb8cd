import { useEffect, useRef, useState } from 'react'
import { NavLink, useSearchParams } from 'react-router'
import type { Schemas } from '../api/client'
import { Strip } from '../drawings/strip/Strip'

interface Props {
  heading: string
  units: Pick<Schemas['UnitLine'], 'tag' | 'strip' | 'model'>[]
  to: (tag: string) => string
  current: string
  note?: (tag: string) => string
}

/** The list beside a bench screen: tags with their strips; typing filters, the filter stays in the address. */
export function UnitRail({ heading, units, to, current, note }: Props) {
  const [search, setSearch] = useSearchParams()
  const [filter, setFilter] = useState(() => search.get('filter') ?? '')
  useEffect(() => {
    // The address follows what is typed, also after a jump to another unit.
    if ((search.get('filter') ?? '') === filter) return
    setSearch((now) => {
      if (filter) now.set('filter', filter)
      else now.delete('filter')
      return now
    }, { replace: true })
  }, [filter, search, setSearch])
  const active = useRef<HTMLAnchorElement>(null)
  useEffect(() => {
    active.current?.scrollIntoView({ block: 'nearest' })
  }, [current])
  const shown = units.filter((unit) => `${unit.tag} ${unit.model}`.toLowerCase().includes(filter.toLowerCase()))
  return (
    <aside className="w-[17.5rem] shrink-0 border-r border-base-300 pt-3 pl-7 max-lg:w-56 max-lg:pl-4 flex flex-col">
      <p className="quiet text-sm mb-1">{heading}</p>
      <input
        className="input input-sm mr-3 mb-2 w-auto bg-base-100"
        placeholder="Filter by tag or model"
        aria-label="Filter units"
        value={filter}
        onChange={(event) => setFilter(event.target.value)}
      />
      <ul className="overflow-y-auto overflow-x-hidden -ml-2 max-h-[calc(100dvh-13rem)]">
        {shown.map((unit) => (
          <li key={unit.tag}>
            <NavLink
              ref={unit.tag === current ? active : undefined}
              to={to(unit.tag) + (filter ? `?filter=${encodeURIComponent(filter)}` : '')}
              className={({ isActive }) => `flex items-center gap-2 h-9 pl-2 ${isActive ? 'current-row' : 'hover:bg-base-100'}`}
              title={unit.model}
            >
              <span className="w-[3.9rem] shrink-0 leading-none">
                <span className="tag text-[0.8125rem] block">{unit.tag}</span>
                {note?.(unit.tag) && <span className="text-xs quiet">{note(unit.tag)}</span>}
              </span>
              <Strip strip={unit.strip} size="line" />
            </NavLink>
          </li>
        ))}
        {shown.length === 0 && <li className="quiet text-sm px-2 py-3">{units.length ? 'No unit matches the filter.' : 'Nothing waits here.'}</li>}
      </ul>
    </aside>
  )
}
