import { useQuery } from '@tanstack/react-query'
import { Navigate, useLocation, useParams } from 'react-router'
import { ProblemNote } from '../frame/Problem'
import { UnitRail } from '../frame/UnitRail'
import { OneUnit } from './OneUnit'
import { unitsQuery } from './units'
import { Stage } from '../api/vocabulary'

/** Inspect: the units that wait, and one of them open on its sheet. */
export function Inspect() {
  const { batch = '', tag = '' } = useParams()
  const waiting = useQuery(unitsQuery(batch, Stage.INSPECT))
  const { search } = useLocation()
  const units = waiting.data ?? []
  const first = units.find((unit) => !unit.blocked && !unit.inspected) ?? units[0]
  return (
    <div className="grow flex">
      {/* Beside the list, not instead of it: what is being typed into its filter stays. */}
      {!tag && first && <Navigate replace to={`/${batch}/inspect/${first.tag}${search}`} />}
      <UnitRail heading={`${units.length} to inspect, in pallet order`} units={units} current={tag} to={(other) => `/${batch}/inspect/${other}`} />
      <div className="grow min-w-0 px-7 pt-4 pb-6">
        <ProblemNote error={waiting.error} />
        {tag ? (
          <OneUnit key={tag} batch={batch} tag={tag} units={units} />
        ) : (
          waiting.data && <p className="text-lg mt-6">Every unit of this batch that was counted in is inspected. Count more in under Arrive, or go on to Decide.</p>
        )}
      </div>
    </div>
  )
}
