import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { Link, useParams } from 'react-router'
import { api, ask } from '../api/client'
import { DayField } from '../frame/DayField'
import { CopyCsv } from '../frame/CopyCsv'
import { ProblemNote } from '../frame/Problem'
import { clock, day, isoDay } from '../frame/words'
import { labelOf } from '../frame/vocabulary'

const today = (): string => isoDay(new Date())

export const dangersQuery = (batch: string, on: string) => ({
  queryKey: ['dangers', batch, on],
  queryFn: () => ask(api.GET('/api/units/hazards', { params: { query: { batch, day: on } } })),
})

/** Dangers of the day: those that stand open, and what was done about the others. */
export function Dangers() {
  const { batch = '' } = useParams()
  const [on, setOn] = useState(today)
  const dangers = useQuery(dangersQuery(batch, on))
  return (
    <div className="page max-w-5xl w-full">
      <div className="flex items-end gap-4 mb-3">
        <h1 className="grow">Dangers</h1>
        <CopyCsv headings={['tag', 'model', 'place', 'danger', 'seen by', 'seen at', 'done', 'done by']} rows={(dangers.data ?? []).map((one) => [one.tag, one.model, one.place, labelOf('HazardKind', one.kind), one.seen_by, one.seen_at, one.done, one.done_by])} />
        <DayField label="Day" begins={on} className="input input-bordered input-sm w-36" onDay={(iso) => setOn(iso || today())} />
      </div>
      <ProblemNote error={dangers.error} />
      {dangers.data?.length === 0 && <p>No danger stands open and none was seen on this day. One key, <kbd>!</kbd>, notes one under Inspect.</p>}
      {Boolean(dangers.data?.length) && (
        <table className="w-full text-note">
          <thead><tr className="border-b border-base-content"><th>unit</th><th>what</th><th>seen</th><th>done about it</th></tr></thead>
          <tbody>
            {dangers.data?.map((one) => (
              <tr key={`${one.tag}${one.seen_at}${one.place}`} className="rule-b align-top">
                <td className="py-2 pr-4"><Link className="tag underline" to={`/${one.batch}/inspect/${one.tag}`}>{one.tag}</Link><span className="block quiet text-sm">{one.model}</span></td>
                <td className="py-2 pr-4">{one.place}: <b className={one.done ? '' : 'text-error'}>{labelOf('HazardKind', one.kind)}</b></td>
                <td className="py-2 pr-4 whitespace-nowrap">{day(one.seen_at)} {clock(one.seen_at)}<span className="block quiet text-sm">{one.seen_by}</span></td>
                <td className="py-2">{one.done ? <>{one.done}<span className="block quiet text-sm">{one.done_by}</span></> : <b className="text-error">open: the unit is blocked</b>}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </div>
  )
}
