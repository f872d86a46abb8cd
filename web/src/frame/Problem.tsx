import { problemOf } from '../api/client'

/** A refusal in words; lines of a file are listed when there are any. */
export function ProblemNote({ error }: { error: unknown }) {
  if (!error) return null
  const problem = problemOf(error)
  const lines = (problem.facts.lines ?? []) as [number, string][]
  return (
    <div role="alert" className="border-l-4 border-accent bg-base-100 px-4 py-3 my-3">
      <p className="font-bold">{problem.title}</p>
      <p>{problem.detail}</p>
      {lines.length > 0 && (
        <ul className="mt-2 max-h-56 overflow-auto text-note">
          {lines.map(([line, reason], index) => (
            <li key={index}>
              <span className="tag mr-2">line {line}</span>
              {reason}
            </li>
          ))}
        </ul>
      )}
    </div>
  )
}
