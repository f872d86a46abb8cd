import type { Schemas } from '../api/client'
import { GateState } from '../api/vocabulary'
import { labelOf } from '../frame/vocabulary'

const MARKS: Record<string, string> = { met: '●', short: '○', unknown: '?' }

/** Every standard with its gates held against the unit. */
export function Standards({ verdicts }: { verdicts: Schemas['StandardVerdict'][] }) {
  return (
    <div className="grid grid-cols-3 max-md:grid-cols-1 gap-x-6 gap-y-3">
      {verdicts.map((verdict) => {
        const gates = verdict.gates.filter((gate) => gate.state !== GateState.AT_RELEASE)
        const short = gates.filter((gate) => gate.state === GateState.SHORT).length
        const unknown = gates.filter((gate) => gate.state === GateState.UNKNOWN).length
        return (
          <section key={verdict.standard}>
            <h3 className="flex justify-between border-b border-base-content pb-1 mb-1">
              {verdict.name}
              <span className={short ? 'fitink' : unknown ? 'quiet' : 'doneink'}>
                {short ? `${short} short` : unknown ? `${unknown} not known` : 'ready'}
              </span>
            </h3>
            <ul className="text-note">
              {gates.map((gate) => (
                <li key={gate.gate} className={`flex gap-2 ${gate.state === GateState.SHORT ? 'fitink font-semibold' : gate.state === GateState.UNKNOWN ? 'quiet' : ''}`}>
                  <span role="img" aria-label={labelOf('GateState', gate.state)} className="w-4 text-center shrink-0">{MARKS[gate.state]}</span>
                  {gate.sentence}
                </li>
              ))}
            </ul>
          </section>
        )
      })}
    </div>
  )
}
