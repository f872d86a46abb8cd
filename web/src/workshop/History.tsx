import type { Schemas } from '../api/client'
import { clock, day } from '../frame/words'

interface Props {
  history: Schemas['KeptVersion'][]
  onBack?: (version: number) => void
}

/** Who kept which version and why; an earlier one can be looked at and kept again. */
export function History({ history, onBack }: Props) {
  if (history.length === 0) return <p className="quiet text-note">Nothing was kept yet.</p>
  return (
    <details>
      <summary className="cursor-pointer quiet">Version {history[0]?.version}{history[0]?.by && ` by ${history[0].by}`}, {history[0] && `${day(history[0].at)} ${clock(history[0].at)}`}; earlier ones</summary>
      <ol className="mt-1">
        {history.map((one, index) => (
          <li key={one.version} className="rule-t py-1 flex gap-4 text-note">
            <span className="figures w-8">{one.version}</span>
            <span className="w-40">{day(one.at)} {clock(one.at)}</span>
            <span className="grow">{one.by || 'came with the workshop'}{one.words && ` · ${one.words}`}</span>
            {onBack && index > 0 && <button type="button" className="underline" onClick={() => onBack(one.version)}>look at it</button>}
          </li>
        ))}
      </ol>
    </details>
  )
}
