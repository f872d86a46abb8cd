import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useCallback, useEffect, useRef, useState } from 'react'
import { Refused, type Schemas, api, ask, problemOf } from '../api/client'
import { OrderState } from '../api/vocabulary'
import { newToken } from '../api/token'
import { type Waiting, enqueue, flush, takeBack, useLine, useUnanswered, waitingOf, whenRefused } from '../frame/queue'
import { TICK, type Tick, doneOf, takeWork, workQuery } from './ticks'

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
  begin: (onPurpose?: boolean) => void
  pause: () => void
  discount: () => void
  tick: () => void
  back: () => void
  stop: (words: string) => void
  surprise: (said: Pick<Schemas['Told'], 'kind' | 'place' | 'entry' | 'words'>) => Promise<boolean>
  leave: () => void
  scan: (code: string, instead?: boolean) => Promise<unknown>
}

/** Another screen was faster: whoever has it now, that is said. */
const STALE = 409
const workerOf = (view: View | undefined): string => view?.clock.worker ?? ''

/**
 * One work order at the bench. A tick is on the screen at once and waits in line until it is
 * answered; anything else waits until no tick does.
 */
export function useBench(tag: string): BenchState {
  const queries = useQueryClient()
  const query = useQuery(workQuery(tag))
  const ticks = useLine().filter((one): one is Waiting<Partial<Tick>> => one.kind === TICK && one.tag === tag)
  const silent = useUnanswered()
  const [error, setError] = useState<unknown>(null)
  /** Who had it when that was said: once a colleague has it, what the first was refused is no matter any more. */
  const saidTo = useRef('')
  const [busy, setBusy] = useState(false)
  const view = query.data
  /** When the clock's figure was read, by this screen's own clock. */
  const readAt = useRef(performance.now())
  const read = useRef<View | undefined>(undefined)
  if (read.current !== view) {
    read.current = view
    readAt.current = performance.now()
  }
  const lastTick = useRef<number | null>(null)

  const take = (now: View): void => takeWork(queries, now)
  const version = (): number => queries.getQueryData<View>(workQuery(tag).queryKey)?.version ?? 0
  const path = { params: { path: { tag } } }

  const say = useCallback((refusal: unknown): void => {
    saidTo.current = workerOf(queries.getQueryData<View>(workQuery(tag).queryKey))
    setError(refusal)
  }, [tag, queries])
  const refused = async (refusal: unknown): Promise<void> => {
    say(refusal)
    if (problemOf(refusal).status === STALE) await queries.invalidateQueries({ queryKey: workQuery(tag).queryKey })
  }
  useEffect(
    () =>
      whenRefused((waiting, problem) => {
        if (waiting.kind !== TICK || waiting.tag !== tag) return
        say(new Refused(problem))
        void queries.invalidateQueries({ queryKey: workQuery(tag).queryKey })
      }),
    [tag, queries, say],
  )
  const none = ticks.length === 0
  useEffect(() => {
    if (none) lastTick.current = null
  }, [none])

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
      if (waitingOf(TICK, tag).length) {
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
    done: view ? doneOf(view, ticks) : 0,
    kept: silent ? ticks.length : 0,
    error: error && problemOf(error).status !== STALE && workerOf(view) !== saidTo.current ? null : error,
    loadError: query.error,
    busy,
    seconds,
    begin: (onPurpose = false) => void send(() => ask(api.POST('/api/units/{tag}/work/begin', { ...path, body: { version: version(), on_purpose: onPurpose } }))),
    pause: () => void send(() => ask(api.POST('/api/units/{tag}/work/pause', seen()))),
    discount: () => void send(() => ask(api.POST('/api/units/{tag}/work/discount', seen()))),
    tick: () => {
      if (!view || view.state !== OrderState.OPEN) return
      const step = doneOf(view, waitingOf(TICK, tag))
      if (step >= view.work.steps.length) return
      setError(null)
      const now: Tick = { token: newToken(), seconds: seconds(), step }
      enqueue(TICK, tag, now)
      lastTick.current = performance.now()
      void flush()
    },
    back: () => {
      // What was not sent yet is taken back here.
      if (silent && waitingOf(TICK, tag).length) takeBack(TICK, tag, 'last')
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
