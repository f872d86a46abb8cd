import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { useSearchParams } from 'react-router'
import { type Schemas, api, ask } from '../api/client'
import { JobState } from '../api/vocabulary'
import { ProblemNote } from '../frame/Problem'
import { addressWith } from '../frame/filter'
import { choicesOf, headingOf, labelOf } from '../frame/vocabulary'
import { count } from '../frame/words'

const ASK_EVERY_MS = 700

/** Labels or papers of all units shown, drawn by a worker; how far it is survives a reload. */
export function PapersOfMany({ tags }: { tags: string[] }) {
  const [search, setSearch] = useSearchParams()
  const [error, setError] = useState<unknown>(null)
  const number = Number(search.get('papers')) || 0
  const job = useQuery({
    queryKey: ['papers', number],
    queryFn: () => ask(api.GET('/api/papers/jobs/{number}', { params: { path: { number } } })),
    enabled: number > 0,
    retry: false,
    refetchInterval: (query) => (query.state.data?.ended ? false : ASK_EVERY_MS),
  })
  const begin = async (kind: Schemas['PrintKind']): Promise<void> => {
    try {
      const begun = await ask(api.POST('/api/papers/jobs', { body: { kind, tags } }))
      setSearch(addressWith('papers', String(begun.id)))
      setError(null)
    } catch (refusal) {
      setError(refusal)
    }
  }
  const stop = async (): Promise<void> => {
    try {
      await ask(api.POST('/api/papers/jobs/{number}/stop', { params: { path: { number } } }))
      void job.refetch()
    } catch (refusal) {
      setError(refusal)
    }
  }
  const leave = (): void => setSearch(addressWith('papers', ''))
  const now = job.data
  return (
    <section aria-label="Papers of these units" className="mb-2">
      <p className="flex flex-wrap items-center gap-x-4">
        <span className="quiet">Print of {count(tags.length, 'unit')}:</span>
        {choicesOf('PrintKind').map(([kind, words]) => <button type="button" key={kind} className="underline min-h-11 disabled:opacity-40" disabled={tags.length === 0 || (now !== undefined && !now.ended)} onClick={() => void begin(kind as Schemas['PrintKind'])}>{words}</button>)}
      </p>
      <ProblemNote error={error ?? job.error} />
      {number > 0 && now && (
        <div role="status" className="flex flex-wrap items-center gap-3 border-l-4 border-base-content bg-base-100 px-4 py-2">
          <b>{headingOf('PrintKind', now.kind)}</b>
          {!now.ended && <><progress className="progress grow h-3 min-w-40" value={now.done} max={now.units} aria-label={now.doing || labelOf('JobState', now.state)} /><span>{now.doing || labelOf('JobState', now.state)}, {now.done} of {now.units}</span><button type="button" className="btn btn-outline btn-bench" onClick={() => void stop()}>Stop</button></>}
          {now.state === JobState.DONE && <a className="underline grow py-2" href={`/api/papers/jobs/${number}.pdf`} target="_blank" rel="noreferrer">open the PDF of {count(now.units, 'unit')}</a>}
          {(now.state === JobState.STOPPED || now.state === JobState.FAILED) && <span className="grow">{now.refusal || `${headingOf('JobState', now.state)}. Nothing was drawn.`}</span>}
          {now.ended && <button type="button" className="underline quiet py-2" onClick={leave}>close</button>}
        </div>
      )}
    </section>
  )
}
