import { memo } from 'react'
import type { Schemas } from '../api/client'
import { Standards } from './Standards'

/** What the findings amount to: sums, what still matters, what still goes in, every standard. */
export const Assessed = memo(function Assessed({ assessment, seals }: { assessment: Schemas['Assessment']; seals: string[] }) {
  const { unknowns, headroom, ceilings } = assessment
  const settled = unknowns.sentence && unknowns.decide.length === 0
  return (
    <>
      <p>{assessment.sentences.join(' ')}</p>
      {unknowns.sentence && <p className={settled ? 'doneink font-semibold' : 'font-semibold'}>{unknowns.sentence}</p>}
      {unknowns.ruled_out.length > 0 && <p className="quiet text-note">Out of reach. {unknowns.ruled_out.join('; ')}.</p>}
      {seals.map((seal) => <p key={seal} className="quiet text-note">{seal}</p>)}
      <div className="rule-t mt-2 pt-2">
        <Standards verdicts={assessment.verdicts} />
      </div>
      <dl className="mt-2 pt-2 rule-t text-note grid grid-cols-[max-content_minmax(0,1fr)] gap-x-4">
        {headroom.length > 0 && <><dt className="quiet">Room for more</dt><dd>{headroom.map((room) => room.words).join(' · ')}</dd></>}
        <dt className="quiet">Memory ceiling</dt>
        <dd>{ceilings.map((one) => <span key={one.school} className="mr-3">{one.words}{ceilings.length > 1 && one.counts && <b> · counts here</b>}</span>)}</dd>
      </dl>
    </>
  )
})
