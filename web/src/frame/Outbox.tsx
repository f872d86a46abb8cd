import { useQueryClient } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import { Link, useLocation } from 'react-router'
import { TICK, tickSender } from '../fit/ticks'
import { keepDraft } from '../inspect/drafts'
import { INSPECTION, type Kept, inspectionSender } from '../inspect/sending'
import { flush, inLine, sendBy, useLine, useUnanswered, whenRefused } from './queue'
import { count } from './words'

const EVERY_MS = 3000

/** Sends what was kept while the connection was gone, and says so. */
export function Outbox() {
  const line = useLine()
  const unanswered = useUnanswered()
  const [refused, setRefused] = useState<{ tag: string; detail: string } | null>(null)
  const queries = useQueryClient()
  const { pathname } = useLocation()

  useEffect(() => {
    sendBy({ [INSPECTION]: inspectionSender(queries), [TICK]: tickSender(queries) })
    const again = (): void => { if (inLine().length) void flush() }
    again()
    const timer = setInterval(again, EVERY_MS)
    addEventListener('online', again)
    return () => {
      clearInterval(timer)
      removeEventListener('online', again)
    }
  }, [queries])
  useEffect(
    () =>
      whenRefused((waiting, problem) => {
        // A refused inspection goes back to its unit's screen as a draft.
        if (waiting.kind === INSPECTION) keepDraft(waiting.tag, waiting.body as Kept)
        if (!location.pathname.endsWith(`/${waiting.tag}`)) setRefused({ tag: waiting.tag, detail: problem.detail })
      }),
    [],
  )

  // The bench speaks of its own unit's steps.
  const elsewhere = line.filter((one) => one.kind !== TICK || !pathname.endsWith(`/${one.tag}`))
  const inspections = elsewhere.filter((one) => one.kind === INSPECTION).length
  const steps = elsewhere.length - inspections
  const kept = [inspections && count(inspections, 'inspection'), steps && count(steps, 'step')].filter(Boolean).join(' and ')
  if (!(kept && (unanswered || inspections)) && !refused) return null
  return (
    <div role="status" className="mx-7 my-2 px-4 py-2 bg-base-100 border-l-4 border-accent">
      {kept && `Not connected. ${kept} kept on this device; sent when the connection is back.`}
      {refused && (
        <>
          {refused.detail} <Link className="underline" to={`/unit/${refused.tag}`} onClick={() => setRefused(null)}>Open {refused.tag}</Link>
        </>
      )}
    </div>
  )
}
