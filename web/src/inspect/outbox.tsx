import { useQueryClient } from '@tanstack/react-query'
import { useEffect, useRef, useState } from 'react'
import { Link } from 'react-router'
import { api, ask, problemOf } from '../api/client'
import { count } from '../frame/words'
import { type Waiting, dropDraft, keepDraft, outbox, setOutbox } from './drafts'

const EVERY_MS = 3000

export const sendInspection = ({ tag, ...body }: Waiting) =>
  ask(api.POST('/api/units/{tag}/inspection', { params: { path: { tag } }, body }))

/** Sends inspections that were kept while the connection was gone, and says so. */
export function Outbox() {
  const [waiting, setWaiting] = useState<Waiting[]>(outbox)
  const [refused, setRefused] = useState<{ tag: string; detail: string } | null>(null)
  const sending = useRef(false)
  const queries = useQueryClient()

  useEffect(() => {
    const changed = (): void => setWaiting(outbox())
    const send = async (): Promise<void> => {
      const next = outbox()[0]
      if (!next || sending.current) return
      sending.current = true
      try {
        await sendInspection(next)
        dropDraft(next.tag)
        setOutbox(outbox().slice(1))
        void queries.invalidateQueries()
      } catch (error) {
        const problem = problemOf(error)
        // Without an answer it waits; with a refusal it goes back to its unit's screen as a draft.
        if (problem.status !== 0) {
          keepDraft(next.tag, next)
          setOutbox(outbox().slice(1))
          setRefused({ tag: next.tag, detail: problem.detail })
        }
      } finally {
        sending.current = false
      }
    }
    addEventListener('sortis-outbox', changed)
    addEventListener('online', send)
    const timer = setInterval(send, EVERY_MS)
    return () => {
      removeEventListener('sortis-outbox', changed)
      removeEventListener('online', send)
      clearInterval(timer)
    }
  }, [queries])

  if (!waiting.length && !refused) return null
  return (
    <div role="status" className="mx-7 my-2 px-4 py-2 bg-base-100 border-l-4 border-accent">
      {waiting.length > 0 && `Not connected. ${count(waiting.length, 'inspection')} kept on this device; sent when the connection is back.`}
      {refused && (
        <>
          {refused.detail} <Link className="underline" to={`/unit/${refused.tag}`} onClick={() => setRefused(null)}>Open {refused.tag}</Link>
        </>
      )}
    </div>
  )
}
