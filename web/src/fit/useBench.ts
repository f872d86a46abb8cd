import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useEffect, useRef, useState } from 'react'
import { type Schemas, api, ask, problemOf } from '../api/client'
import { type KeptTick, keepTicks, keptTicks, newToken } from './ticks'
import { OrderState } from '../api/vocabulary'

const AGAIN_MS = 3000
type View = Schemas['WorkView']

export interface BenchState {
  view: View | undefined
  /** Steps done as the technician sees it: what the server knows, and what is still on its way. */
  done: number
  /** Ticks kept on this device because nobody answers. */
  kept: number
  error: unknown
  loadError: unknown
  busy: boolean
  /** Seconds of the step in hand. */
  seconds: () => number
  begin: () => void
  pause: () => void
  discount: () => void
  tick: () => void
  back: () => void
  stop: (words: string) => void
  surprise: (said: Pick<Schemas['Told'], 'kind' | 'place' | 'entry' | 'words'>) => Promise<boolean>
  leave: () => void
  scan: (code: string, instead?: boolean) => Promise<unknown>
}

/**
 * One work order at the bench. A tick is on the screen at once and sent behind it; without a
 * connection it is kept on this device and sent, in order and once each, when somebody answers.
 */
export function useBench(batch: string, tag: string): BenchState {
  const queries = useQueryClient()
  const workKey = ['work', tag]
  const query = useQuery({ queryKey: workKey, queryFn: () => ask(api.GET('/api/units/{tag}/work', { params: { path: { tag } } })) })
  const [ticks, setTicks] = useState<KeptTick[]>(() => keptTicks(tag))
  const [error, setError] = useState<unknown>(null)
  const [busy, setBusy] = useState(false)
  const [silent, setSilent] = useState(false)
  const waiting = useRef(ticks)
  const sending = useRef<Promise<void> | null>(null)
  const view = query.data
  /** When the clock's figure was read, by this screen's own clock. */
  const readAt = useRef(performance.now())
  const read = useRef<View | undefined>(undefined)
  if (read.current !== view) {
    read.current = view
    readAt.current = performance.now()
  }
  const lastTick = useRef<number | null>(null)

  const keep = (now: KeptTick[]): void => {
    waiting.current = now
    keepTicks(tag, now)
    setTicks(now)
  }
  const take = (now: View): void => {
    queries.setQueryData(workKey, now)
    if (now.state !== OrderState.OPEN) void queries.invalidateQueries()
    else void queries.invalidateQueries({ queryKey: ['orders', batch] })
  }
  const version = (): number => queries.getQueryData<View>(workKey)?.version ?? 0
  const path = { params: { path: { tag } } }

  const refused = async (refusal: unknown): Promise<void> => {
    setError(refusal)
    if (problemOf(refusal).status === 409) await queries.invalidateQueries({ queryKey: workKey })
  }

  /** Send what waits; whoever asks while it is being sent waits for the same. */
  const flush = (): Promise<void> => {
    sending.current ??= sendAll().finally(() => { sending.current = null })
    return sending.current
  }
  const sendAll = async (): Promise<void> => {
    if (!queries.getQueryData(workKey)) return
    try {
      while (waiting.current[0]) {
        const now = await ask(api.POST('/api/units/{tag}/work/tick', { ...path, body: { version: version(), ...waiting.current[0] } }))
        setSilent(false)
        keep(waiting.current.slice(1))
        take(now)
      }
      lastTick.current = null
    } catch (refusal) {
      if (problemOf(refusal).status === 0) {
        setSilent(true)
      } else {
        // What follows a refused step was ticked on a wrong belief; the screen shows what stands.
        keep([])
        await refused(refusal)
      }
    }
  }
  const flushNow = useRef(flush)
  flushNow.current = flush
  const loaded = view !== undefined
  // biome-ignore lint/correctness/useExhaustiveDependencies: it runs when what it names changes, not at every drawing
  useEffect(() => {
    const again = (): void => {
      if (waiting.current.length) void flushNow.current()
    }
    again()
    const timer = setInterval(again, AGAIN_MS)
    addEventListener('online', again)
    return () => {
      clearInterval(timer)
      removeEventListener('online', again)
    }
  }, [loaded])

  const seconds = (): number => {
    if (lastTick.current !== null) return (performance.now() - lastTick.current) / 1000
    if (!view) return 0
    return view.clock.seconds + (view.clock.running ? (performance.now() - readAt.current) / 1000 : 0)
  }

  /** Anything but a tick waits until all ticks have arrived. */
  const send = async (call: () => Promise<View>): Promise<unknown> => {
    if (busy) return new Error('busy')
    setBusy(true)
    setError(null)
    try {
      await flush()
      if (waiting.current.length) {
        throw new Error('Not connected. The steps you ticked are kept on this device; this goes on when the connection is back.')
      }
      take(await call())
      return null
    } catch (refusal) {
      await refused(refusal)
      return refusal
    } finally {
      setBusy(false)
    }
  }
  const seen = () => ({ ...path, body: { version: version() } })

  return {
    view,
    done: Math.min(view?.work.steps.length ?? 0, (view?.done_steps ?? 0) + (view?.state === OrderState.OPEN ? ticks.length : 0)),
    kept: silent ? ticks.length : 0,
    error,
    loadError: query.error,
    busy,
    seconds,
    begin: () => void send(() => ask(api.POST('/api/units/{tag}/work/begin', seen()))),
    pause: () => void send(() => ask(api.POST('/api/units/{tag}/work/pause', seen()))),
    discount: () => void send(() => ask(api.POST('/api/units/{tag}/work/discount', seen()))),
    tick: () => {
      if (!view || view.state !== OrderState.OPEN || view.done_steps + waiting.current.length >= view.work.steps.length) return
      setError(null)
      keep([...waiting.current, { token: newToken(), seconds: seconds() }])
      lastTick.current = performance.now()
      void flush()
    },
    back: () => {
      // What was not sent yet is taken back here.
      if (silent && waiting.current.length) keep(waiting.current.slice(0, -1))
      else void send(() => ask(api.POST('/api/units/{tag}/work/back', seen())))
    },
    stop: (words) => void send(() => ask(api.POST('/api/units/{tag}/work/stop', { ...path, body: { version: version(), words } }))),
    surprise: async (said) => (await send(() => ask(api.POST('/api/units/{tag}/work/surprise', { ...path, body: { version: version(), ...said } })))) === null,
    leave: () => void send(() => ask(api.POST('/api/units/{tag}/work/leave', seen()))),
    scan: async (code, instead = false) => {
      try {
        take(await ask(api.POST('/api/units/{tag}/work/scan', { ...path, body: { code, instead } })))
        return null
      } catch (refusal) {
        return refusal
      }
    },
  }
}
