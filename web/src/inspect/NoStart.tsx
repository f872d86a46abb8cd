import { useEffect, useState } from 'react'
import { type Schemas, api, ask } from '../api/client'
import { ProblemNote } from '../frame/Problem'
import { useKeys } from '../frame/keys'

interface Props {
  tag: string
  trim: string
  entries: Record<string, string>
  onTake: (entries: Record<string, string>) => void
  onClose: () => void
}

/** A unit that does not start: one thing to try after another, before anyone blames the pack. */
export function NoStart({ tag, trim, entries, onTake, onClose }: Props) {
  const [answers, setAnswers] = useState<[string, string][]>([])
  const [at, setAt] = useState<Schemas['Search'] | null>(null)
  const [error, setError] = useState<unknown>(null)
  // biome-ignore lint/correctness/useExhaustiveDependencies: it runs when what it names changes, not at every drawing
  useEffect(() => {
    ask(api.POST('/api/units/{tag}/search', { params: { path: { tag } }, body: { trim, entries, answers } })).then(setAt, setError)
  }, [answers])
  const step = at?.step
  const back = (): void => setAnswers((now) => now.slice(0, -1))
  const take = (): void => { if (at?.result) onTake(at.result.entries) }
  useKeys('Does not start', [
    ...(step?.answers ?? []).map((answer) => ({ key: answer.key, does: answer.words, act: () => setAnswers((now) => [...now, [step?.key ?? '', answer.key]]) })),
    { key: 'Backspace', does: 'one answer back', act: back, off: answers.length ? '' : 'nothing was answered yet' },
    { key: 'Enter', does: 'take over what was found', act: take, off: at?.result ? '' : 'nothing was found yet' },
    { key: 'Escape', does: 'back to the strip', act: onClose },
  ])
  return (
    <section aria-label="Does not start" className="mb-3 bg-base-100 border border-base-300 p-5 grid grid-cols-[minmax(0,1fr)_18rem] gap-8 max-lg:grid-cols-1">
      <div>
        <ProblemNote error={error} />
        {step && (
          <>
            {step.cautions.map((caution) => <p key={caution} className="border-l-4 border-base-content pl-3 mb-2">{caution}</p>)}
            <h2 className="text-3xl font-bold mt-3">{step.title}{step.opens && <span className="text-base font-normal quiet"> · the cover comes off</span>}</h2>
            <p className="text-lg mt-1 mb-4">{step.how}</p>
            <div className="flex flex-wrap gap-3">
              {step.answers.map((answer) => (
                <button type="button" key={answer.key} className="btn btn-outline btn-bench" onClick={() => setAnswers((now) => [...now, [step.key, answer.key]])}>
                  {answer.words} <kbd className="uppercase">{answer.key}</kbd>
                </button>
              ))}
            </div>
          </>
        )}
        {at?.result && (
          <>
            <h2 className="text-2xl font-bold">{at.result.words}</h2>
            <p className="quiet mt-1 mb-4">Taken over, this stands in the strip: {Object.entries(at.result.entries).map(([place, text]) => `${place} ${text}`).join(', ')}.</p>
            <button type="button" className="btn btn-primary btn-bench" onClick={take}>Take over <kbd>Enter</kbd></button>
          </>
        )}
      </div>
      <div>
        <h3>Tried so far</h3>
        {at?.done.length ? <ol className="list-decimal pl-5">{at.done.map((tried) => <li key={tried.title}>{tried.title}: <b>{tried.answer}</b></li>)}</ol> : <p className="quiet">Nothing yet. Most units run from the adapter with a dead pack, so the outside comes first.</p>}
        {answers.length > 0 && <button type="button" className="underline mt-2" onClick={back}>One back</button>}
        <button type="button" className="underline mt-2 block" onClick={onClose}>Leave the search</button>
      </div>
    </section>
  )
}
