import { useQuery } from '@tanstack/react-query'
import { Link, Navigate, useParams } from 'react-router'
import { api, ask } from '../api/client'
import { ProblemNote } from '../frame/Problem'
import { UnitRail } from '../frame/UnitRail'
import { count } from '../frame/words'
import { Bench } from './Bench'

/** Fit: the open work orders, and one of them at the bench. */
export function Fit() {
  const { batch = '', tag = '' } = useParams()
  const orders = useQuery({
    queryKey: ['orders', batch],
    queryFn: () => ask(api.GET('/api/batches/{slug}/work', { params: { path: { slug: batch } } })),
  })
  const open = orders.data ?? []
  const note = (other: string): string => {
    const order = open.find((row) => row.tag === other)
    if (!order) return ''
    if (order.waits_for.length && !order.done_steps && !order.worker) return 'waits'
    const steps = order.done_steps ? `${order.done_steps}/${order.steps}` : ''
    const initials = order.worker.split(' ').map((name) => name[0]).join('')
    return order.worker ? `${steps} ${initials}` : steps
  }
  return (
    <div className="grow flex">
      {!tag && open[0] && <Navigate replace to={`/${batch}/fit/${open[0].tag}`} />}
      <UnitRail
        heading={`${count(open.length, 'work order')}, those ready first`}
        units={open}
        current={tag}
        to={(other) => `/${batch}/fit/${other}`}
        note={note}
        more={<Link to={`/${batch}/day`} className="btn btn-sm btn-outline mr-3 mb-2">The day at the benches</Link>}
      />
      {tag ? <Bench key={tag} batch={batch} tag={tag} /> : (
        <p className="page text-lg">{orders.data && 'No work order is open. Approve a plan under Decide; its work orders stand here then.'}</p>
      )}
      <ProblemNote error={orders.error} />
    </div>
  )
}
