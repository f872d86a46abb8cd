import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { type Schemas, api, ask } from '../api/client'
import { Whose } from '../api/vocabulary'
import { Strip } from '../drawings/strip/Strip'
import { isFields, keepBegun, useBegun } from '../frame/begun'
import { ProblemNote } from '../frame/Problem'
import { headingOf } from '../frame/vocabulary'
import { count, day } from '../frame/words'

interface Props {
  number: number
  onSaved: (saved: Schemas['Saved']) => void
  onLeave: () => void
}

const WHOSE: Set<unknown> = new Set(Object.values(Whose))
const isAnswers = (kept: unknown): kept is Record<string, Schemas['Whose']> => isFields(kept) && Object.values(kept).every((one) => WHOSE.has(one))

/** Another workshop's sheet beside ours: one question a fact, none answered beforehand. */
export function Merge({ number, onSaved, onLeave }: Props) {
  const path = { params: { path: { number } } }
  const query = useQuery({ queryKey: ['offered', number], queryFn: () => ask(api.GET('/api/sheets/offered/{number}', path)) })
  // Many answers are an hour's work: they live on this device until they are kept.
  const [answers, setAnswers] = useBegun(`merge.${number}`, {}, isAnswers)
  const [error, setError] = useState<unknown>(null)
  const view = query.data
  if (!view) return <ProblemNote error={query.error} />
  const { line, questions } = view
  const asked = new Set(questions.map((question) => question.key))
  const left = questions.filter((question) => !answers[question.key]).length
  const all = (answer: Schemas['Whose']): void => setAnswers((now) => Object.fromEntries(questions.map((question) => [question.key, now[question.key] ?? answer])))
  const keep = async (): Promise<void> => {
    try {
      const given = Object.fromEntries(Object.entries(answers).filter(([key]) => asked.has(key)))
      const saved = await ask(api.POST('/api/sheets/offered/{number}/merge', { ...path, body: { answers: given, started_from: view.version } }))
      keepBegun(`merge.${number}`, null)
      onSaved(saved)
    } catch (refusal) {
      setError(refusal)
      void query.refetch()
    }
  }
  const leave = async (): Promise<void> => {
    try {
      await ask(api.POST('/api/sheets/offered/{number}/leave', path))
      keepBegun(`merge.${number}`, null)
      onLeave()
    } catch (refusal) {
      setError(refusal)
    }
  }
  const choice = (question: Schemas['SheetQuestion'], answer: Schemas['Whose'], words: string, source: string) => (
    <td className="py-1 pr-4 w-[36%]">
      <label className={`flex gap-2 items-start min-h-11 px-2 py-2 border cursor-pointer ${answers[question.key] === answer ? 'border-base-content bg-base-100' : 'border-transparent'}`}>
        <input type="radio" className="radio mt-0.5" name={question.key} checked={answers[question.key] === answer} onChange={() => setAnswers((now) => ({ ...now, [question.key]: answer }))} aria-label={`${question.where}: ${headingOf('Whose', answer)}, ${words || 'nothing'}`} />
        <span className="min-w-0 [overflow-wrap:anywhere]">{words || <span className="quiet">nothing</span>}{source && <span className="quiet block text-sm">{source}</span>}</span>
      </label>
    </td>
  )
  return (
    <section aria-label="Questions of another workshop's sheet">
      <h1>{line.name} <span className="quiet text-base font-normal">as {line.came_from} has it{line.by && `, read by ${line.by}`}, {day(line.at)}</span></h1>
      <p className="mb-3">{count(questions.length, 'fact')} {questions.length === 1 ? 'differs' : 'differ'} from version {view.version} here. Say of each whose the sheet is to hold; what nobody answers is not taken.</p>
      <div className="grid grid-cols-[auto_minmax(0,1fr)] gap-x-4 gap-y-2 items-center mb-3">
        <span className="quiet">{headingOf('Whose', Whose.OURS)}</span><Strip strip={view.ours} size="line" />
        <span className="quiet">{headingOf('Whose', Whose.THEIRS)}</span><Strip strip={view.theirs} size="line" />
      </div>
      <ProblemNote error={error} />
      <table className="w-full">
        <thead><tr className="border-b border-base-content"><th>fact</th><th>{headingOf('Whose', Whose.OURS)}</th><th>{headingOf('Whose', Whose.THEIRS)}</th></tr></thead>
        <tbody>
          {questions.map((question) => (
            <tr key={question.key} className="rule-b align-top">
              <th scope="row" className="py-3 pr-4 font-semibold text-left">{question.where}</th>
              {choice(question, Whose.OURS, question.ours, question.ours_source)}
              {choice(question, Whose.THEIRS, question.theirs, question.theirs_source)}
            </tr>
          ))}
        </tbody>
      </table>
      <div className="flex flex-wrap items-center gap-3 py-4 sticky bottom-0 bg-base-200">
        <button type="button" className="btn btn-primary btn-bench" disabled={left > 0} onClick={() => void keep()}>Keep as the next version</button>
        <span role="status" className="quiet">{left > 0 ? `${count(left, 'question')} open` : 'All are answered.'}</span>
        <span className="grow" />
        {left > 0 && <button type="button" className="underline py-2" onClick={() => all(Whose.OURS)}>The open ones as here</button>}
        {left > 0 && <button type="button" className="underline py-2" onClick={() => all(Whose.THEIRS)}>The open ones as there</button>}
        <button type="button" className="underline quiet py-2" onClick={() => void leave()}>Leave ours as it is</button>
      </div>
    </section>
  )
}
