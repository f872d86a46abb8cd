import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useRef, useState } from 'react'
import { type Schemas, api, ask, problemOf } from '../api/client'
import { shows } from '../frame/shows'

type View = Schemas['DayView']
type Pin = Schemas['DayPin']

/** The plan of the days; a move by hand is tried at once and kept or put back. */
export function useDay() {
  const queries = useQueryClient()
  const kept = useQuery({ queryKey: ['day'], queryFn: () => ask(api.GET('/api/day')) })
  const [tried, setTried] = useState<View | null>(null)
  const [error, setError] = useState<unknown>(null)
  const [busy, setBusy] = useState(false)
  const asked = useRef(0)
  const shown = tried ?? kept.data

  const run = async (call: () => Promise<View>, then: (view: View) => void): Promise<void> => {
    const mine = ++asked.current
    setBusy(true)
    setError(null)
    try {
      const view = await call()
      // A later move overtakes an earlier answer.
      if (mine === asked.current) then(view)
    } catch (refusal) {
      if (mine !== asked.current) return
      setError(refusal)
      if (problemOf(refusal).status === 409) {
        setTried(null)
        await queries.invalidateQueries({ queryKey: ['day'], exact: true })
      }
    } finally {
      if (mine === asked.current) setBusy(false)
    }
  }
  return {
    kept: kept.data,
    shown,
    tried: tried !== null,
    error: error ?? kept.error,
    busy,
    put: (pin: Pin) => {
      const others = (shown?.pins ?? []).filter((one) => one.tag !== pin.tag)
      const pins = pin.technician || pin.stretch !== null ? [...others, pin] : others
      void run(() => ask(api.POST('/api/day/try', { body: { pins } })), setTried)
    },
    keep: () => void run(() => ask(api.POST('/api/day', { body: { pins: shown?.pins ?? null, seen: kept.data?.number ?? null } })), (view) => {
      shows(queries, ['day'], view)
      setTried(null)
    }),
    again: () => void run(() => ask(api.POST('/api/day', { body: { pins: null, seen: kept.data?.number ?? null } })), (view) => {
      shows(queries, ['day'], view)
      setTried(null)
    }),
    putBack: () => {
      asked.current += 1
      setTried(null)
      setBusy(false)
    },
  }
}
