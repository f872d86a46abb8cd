import { useNavigate } from 'react-router'
import type { Schemas } from '../api/client'
import { figure, ticking, workshop } from '../frame/words'
import { OrderState } from '../api/vocabulary'
import { labelOf } from '../frame/vocabulary'


/** The end of an order, and what comes next. */
export function Finished({ view, batch }: { view: Schemas['WorkView']; batch: string }) {
  const navigate = useNavigate()
  const stopped = view.state === OrderState.STOPPED
  const heading = stopped ? 'Stopped' : view.closing ? 'Closed again' : view.work.donor ? 'Taken apart' : 'Done, and seen working'
  const words = stopped
    ? `${view.surprises[0]?.sentence ?? `${view.words}.`} The parts it had been promised are free again.`
    : view.closing
      ? 'It waits under Decide; the next plan of the batch says what becomes of it.'
      : view.work.donor
        ? 'Its parts lie in stock or wait for the units they were promised to. The rest goes to the recycler:'
        : 'The unit waits for its last check.'
  const toRelease = !stopped && !view.work.donor && !view.closing
  return (
    <section role="status" className="border-l-4 border-success bg-base-100 px-5 py-4">
      <h2 className="text-2xl">{heading}</h2>
      <p className="my-1">{words}</p>
      {!stopped && view.remains.length > 0 && (
        <>
          <table className="my-2">
            <tbody>{view.remains.map((stream) => <tr key={stream.stream}><td className="pr-6">{labelOf('Stream', stream.stream)}</td><td className="text-right">about {figure(stream.weight.figure, stream.weight.decimals)} {stream.weight.unit}</td></tr>)}</tbody>
          </table>
          {workshop().recycling_rules && <p className="mt-2"><b>{workshop().name}: </b>{workshop().recycling_rules}</p>}
        </>
      )}
      {!stopped && view.clock.order_seconds > 60 && <p className="quiet">It took {ticking(view.clock.order_seconds)} min; the estimate was {Math.round(view.estimate.low)} to {Math.round(view.estimate.high)} min.</p>}
      <div className="flex gap-3 mt-2">
        {toRelease && <button type="button" className="btn btn-primary btn-bench" onClick={() => navigate(`/${batch}/release/${view.tag}`)}>To its last check <kbd>Enter</kbd></button>}
        <button type="button" className="btn btn-outline btn-bench" onClick={() => navigate(`/${batch}/fit`)}>Next work order {!toRelease && <kbd>Enter</kbd>}</button>
      </div>
    </section>
  )
}
