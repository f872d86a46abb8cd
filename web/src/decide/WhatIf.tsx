import { useEffect, useState } from 'react'
import { type Schemas, api, ask } from '../api/client'
import { ProblemNote } from '../frame/Problem'
import { signed } from '../frame/words'
import type { Turned } from './useBalance'

interface Answer {
  rule: Schemas['Rule']
  told: Schemas['RuleAnswer'] | null
}

/** What each other school and each notch of a gate would do, solved one after another. */
export function WhatIf({ slug, dials, currency }: { slug: string; dials: Turned; currency: string }) {
  const [answers, setAnswers] = useState<Answer[]>([])
  const [now, setNow] = useState<Schemas['Figures'] | null>(null)
  const [running, setRunning] = useState(true)
  const [error, setError] = useState<unknown>(null)
  const asked = JSON.stringify(dials)
  // biome-ignore lint/correctness/useExhaustiveDependencies: it runs when what it names changes, not at every drawing
  useEffect(() => {
    if (!running) return
    let stopped = false
    const path = { params: { path: { slug } } }
    const run = async (): Promise<void> => {
      try {
        const { now: today, rules } = await ask(api.POST('/api/batches/{slug}/plan/rules', { ...path, body: dials }))
        if (stopped) return
        setError(null)
        setNow(today)
        setAnswers(rules.map((rule) => ({ rule, told: null })))
        for (const rule of rules) {
          const told = await ask(api.POST('/api/batches/{slug}/plan/rule', { ...path, body: { ...dials, key: rule.key } }))
          if (stopped) return
          setAnswers((known) => known.map((one) => (one.rule.key === rule.key ? { rule, told } : one)))
        }
      } catch (refusal) {
        if (!stopped) setError(refusal)
      }
      if (!stopped) setRunning(false)
    }
    void run()
    return () => { stopped = true }
    // Turned dials ask everything anew.
  }, [slug, asked, running])
  const gain = (one: Answer): number => (one.told?.then && now ? one.told.then.contribution_cents - now.contribution_cents : 0)
  const matters = (one: Answer): number => (one.told?.then && now ? Math.abs(gain(one)) + Math.abs(one.told.then.ready - now.ready) : 1)
  const done = answers.filter((one) => one.told).sort((one, other) => Number(matters(other) > 0) - Number(matters(one) > 0) || gain(other) - gain(one))
  const open = answers.length - done.length
  return (
    <section>
      <div className="flex items-center gap-3 mb-1">
        <h2 className="grow">If one rule were otherwise</h2>
        {open > 0 && running && <><progress className="progress w-40" value={done.length} max={answers.length} /><span className="quiet text-sm">{done.length} of {answers.length} solved</span><button type="button" className="btn btn-sm btn-outline" onClick={() => setRunning(false)}>Stop</button></>}
        {open > 0 && !running && <button type="button" className="btn btn-sm btn-outline" onClick={() => setRunning(true)}>Start again</button>}
      </div>
      <ProblemNote error={error} />
      <table className="w-full text-note">
        <thead><tr className="border-b border-base-content"><th>rule</th><th>now</th><th>then</th><th className="text-right">contribution</th><th className="text-right pl-4">ready</th><th className="text-right pl-4">to buy</th></tr></thead>
        <tbody>
          {done.map(({ rule, told }) => told && now && (
            <tr key={rule.key} className="rule-b">
              <td className="py-1.5 pr-3 font-semibold first-letter:uppercase">{rule.question}</td>
              <td className="py-1.5 pr-3 quiet">{rule.now}</td>
              <td className="py-1.5 pr-3">{rule.then}</td>
              {told.then ? (
                <>
                  <td className="py-1.5 text-right font-semibold">{delta(told.then.contribution_cents - now.contribution_cents, (n) => signed(n, currency))}</td>
                  <td className="py-1.5 text-right pl-4">{delta(told.then.ready - now.ready, (n) => (n > 0 ? `+${n}` : String(n)))}</td>
                  <td className="py-1.5 text-right pl-4">{delta(told.then.spend_cents - now.spend_cents, (n) => signed(n, currency))}</td>
                </>
              ) : (
                <td colSpan={3} className="py-1.5 text-right fitink">orders and pins could not all be met</td>
              )}
            </tr>
          ))}
        </tbody>
      </table>
      {answers.length === 0 && !error && <p className="quiet py-2">Finding the rules that could be otherwise…</p>}
    </section>
  )
}

const delta = (value: number, words: (value: number) => string): React.ReactNode =>
  value === 0 ? <span className="quiet font-normal">same</span> : words(value)
