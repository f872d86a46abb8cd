import type { Problem } from '../api/client'

interface Props {
  problem: Problem
  mine: Record<string, string>
  onMine: (startedFrom: number) => void
  onTheirs: (entries: Record<string, string>, startedFrom: number) => void
}

/** Somebody else saved first: both versions side by side, nothing lost. */
export function Compare({ problem, mine, onMine, onTheirs }: Props) {
  const theirs = problem.facts.entries as Record<string, string>
  const number = problem.facts.number as number
  const places = [...new Set([...Object.keys(mine), ...Object.keys(theirs)])].filter((place) => (mine[place] ?? '') !== (theirs[place] ?? ''))
  return (
    <section role="alert" className="border-l-4 border-accent bg-base-100 p-4 mb-4">
      <p className="font-bold">{problem.title}</p>
      <p>{problem.detail}</p>
      <table className="my-3">
        <thead>
          <tr><th className="pr-8">place</th><th className="pr-8">yours</th><th>{String(problem.facts.by)}</th></tr>
        </thead>
        <tbody>
          {places.map((place) => (
            <tr key={place}>
              <td className="pr-8">{place}</td>
              <td className="pr-8 font-mono">{mine[place] || '·'}</td>
              <td className="font-mono">{theirs[place] || '·'}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <div className="flex gap-3">
        <button type="button" className="btn btn-primary btn-bench" autoFocus onClick={() => onMine(number)}>Keep mine</button>
        <button type="button" className="btn btn-outline btn-bench" onClick={() => onTheirs(theirs, number)}>Take theirs</button>
      </div>
    </section>
  )
}
