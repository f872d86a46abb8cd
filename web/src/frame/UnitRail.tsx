import { useQuery } from '@tanstack/react-query'
import { useVirtualizer } from '@tanstack/react-virtual'
import { type ReactNode, useDeferredValue, useEffect, useMemo, useRef } from 'react'
import { NavLink, useParams } from 'react-router'
import { type Schemas, api, ask } from '../api/client'
import { Strip } from '../drawings/strip/Strip'
import { useFilter } from './filter'
import { rowHeight } from './touch'

interface Props {
  heading: string
  units: Pick<Schemas['UnitLine'], 'tag' | 'model'>[]
  to: (tag: string) => string
  current: string
  note?: (tag: string) => string
  /** What else the list offers, above its filter. */
  more?: ReactNode
}

const ROW = rowHeight(36)
/** With a word of its own below the tag. */
const NOTED_ROW = rowHeight(48)
/** Strips are asked for in blocks, so that scrolling by a row asks for nothing. */
const BLOCK = 20

/** The strips of the rows in sight; what was drawn before stays until the answer is there. */
function useStrips(batch: string, tags: string[]): Record<string, Schemas['Strip']> {
  const known = useRef<Record<string, Schemas['Strip']>>({})
  const wanted = useDeferredValue(tags.join(','))
  const strips = useQuery({
    queryKey: ['units', batch, 'strips', wanted],
    queryFn: () => ask(api.GET('/api/batches/{slug}/strips', { params: { path: { slug: batch }, query: { tags: wanted } } })),
    enabled: Boolean(wanted),
    staleTime: 5_000,
  })
  if (strips.data) Object.assign(known.current, strips.data)
  return known.current
}

/** The list beside a bench screen: tags with their strips; typing filters, the filter stays in the address. */
export function UnitRail({ heading, units, to, current, note, more }: Props) {
  const { batch = '' } = useParams()
  const [filter, setFilter] = useFilter()
  const shown = useMemo(() => {
    const wanted = filter.toLowerCase()
    return wanted ? units.filter((unit) => `${unit.tag} ${unit.model}`.toLowerCase().includes(wanted)) : units
  }, [units, filter])
  const box = useRef<HTMLDivElement>(null)
  const height = note ? NOTED_ROW : ROW
  const rows = useVirtualizer({
    count: shown.length,
    getScrollElement: () => box.current,
    estimateSize: () => height,
    overscan: 6,
    getItemKey: (index) => shown[index]?.tag ?? index,
  })
  const here = shown.findIndex((unit) => unit.tag === current)
  useEffect(() => {
    if (here >= 0) rows.scrollToIndex(here, { align: 'auto' })
  }, [here, rows])
  const inSight = rows.getVirtualItems()
  const first = Math.floor((inSight[0]?.index ?? 0) / BLOCK) * BLOCK
  const last = Math.ceil(((inSight.at(-1)?.index ?? 0) + 1) / BLOCK) * BLOCK
  const strips = useStrips(batch, shown.slice(first, last).map((unit) => unit.tag))
  return (
    <aside aria-label="Units" className="w-[17.5rem] shrink-0 border-r border-base-300 pt-3 pl-7 max-lg:w-64 max-lg:pl-4 flex flex-col max-md:hidden">
      <p className="quiet text-sm mb-1">{heading}</p>
      {more}
      <input
        className="input input-sm mr-3 mb-2 w-auto bg-base-100"
        placeholder="Filter by tag or model"
        aria-label="Filter units"
        value={filter}
        onChange={(event) => setFilter(event.target.value)}
      />
      <div ref={box} className="overflow-y-auto overflow-x-hidden -ml-2 h-[calc(100dvh-13rem)]">
        <ul className="relative" style={{ height: rows.getTotalSize() }}>
          {inSight.map((row) => {
            const unit = shown[row.index]
            if (!unit) return null
            const strip = strips[unit.tag]
            return (
              <li key={row.key} className="absolute inset-x-0" style={{ transform: `translateY(${row.start}px)`, height }} aria-setsize={shown.length} aria-posinset={row.index + 1}>
                <NavLink
                  to={to(unit.tag) + (filter ? `?filter=${encodeURIComponent(filter)}` : '')}
                  className={() => `flex items-center gap-2 h-full px-2 ${unit.tag === current ? 'current-row' : 'hover:bg-base-100'}`}
                  title={unit.model}
                >
                  <span className="w-[4.4rem] shrink-0 leading-none">
                    <span className="tag text-sm block">{unit.tag}</span>
                    {note?.(unit.tag) && <span className="text-xs quiet">{note(unit.tag)}</span>}
                  </span>
                  {strip ? <span className="min-w-0 [&>svg]:max-w-full"><Strip strip={strip} size="line" /></span> : <span className="quiet text-xs truncate">{unit.model}</span>}
                </NavLink>
              </li>
            )
          })}
        </ul>
        {shown.length === 0 && <p className="quiet text-sm px-2 py-3">{units.length ? 'No unit matches the filter.' : 'Nothing waits here.'}</p>}
      </div>
    </aside>
  )
}
