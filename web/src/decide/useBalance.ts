import { useQuery, useQueryClient } from '@tanstack/react-query'
import { startTransition, useCallback, useEffect, useRef, useState } from 'react'
import { type Schemas, api, ask } from '../api/client'
import { Goal, PlanState } from '../api/vocabulary'
import { didAtOnce } from '../frame/Undo'
import { isFields, useBegun } from '../frame/begun'

export type Plan = Schemas['PlanView']
export type Turned = Required<Schemas['Dials']> & { money_cents: number; bench_minutes: number; policy: Schemas['Policy']; skills: Record<string, number> }

const POLL_MS = 700
const REST_MS = 350

const dialsOf = (data: Schemas['DecideView']): Turned => {
  const kept = data.plan && data.plan.state !== PlanState.APPROVED ? data.plan : null
  return {
    money_cents: kept?.money_cents ?? data.money_cents,
    bench_minutes: kept?.bench_minutes ?? data.bench_minutes,
    policy: kept?.policy ?? data.policy,
    goal: (kept?.goal as Turned['goal'] | undefined) ?? Goal.CONTRIBUTION,
    skills: kept ? Object.fromEntries(kept.skills.map((one) => [one.skill, one.minutes])) : data.skills,
  }
}

const isTurned = (kept: unknown): kept is Turned =>
  isFields(kept) && typeof kept.money_cents === 'number' && typeof kept.bench_minutes === 'number' && isFields(kept.policy) && isFields(kept.skills) && typeof kept.goal === 'string'

/** The plan of a batch while its dials turn: the kept one, and the one tried under the hand. */
export function useBalance(slug: string) {
  const queries = useQueryClient()
  const view = useQuery({
    queryKey: ['plan', slug],
    queryFn: () => ask(api.GET('/api/batches/{slug}/plan', { params: { path: { slug } } })),
    refetchInterval: (query) => (query.state.data?.plan?.state === PlanState.SOLVING ? POLL_MS : false),
  })
  const [turned, setTurned] = useBegun<Turned | null>(`dials.${slug}`, null, isTurned)
  const [tried, setTried] = useState<Plan | null>(null)
  /** The plan under the hand is near enough; its proof is under way. */
  const [proving, setProving] = useState(false)
  const [busy, setBusy] = useState(false)
  const [error, setError] = useState<unknown>(null)
  const wanted = useRef<Turned | null>(null)
  const newest = useRef<Turned | null>(null)
  const asking = useRef<Promise<void> | null>(null)
  /** Every strip drawn so far: turning a dial brings mostly the same ones, and they are not sent again. */
  const strips = useRef<Plan['strips']>({})
  const resting = useRef<ReturnType<typeof setTimeout>>(undefined)
  /** One proof after another, so that a hand which rests and turns again leaves no heap of them. */
  const weighing = useRef(Promise.resolve())

  const path = { params: { path: { slug } } }
  const data = view.data
  useEffect(() => {
    strips.current = { ...data?.plan?.strips, ...strips.current }
  }, [data?.plan?.strips])
  const dials = turned ?? (data ? dialsOf(data) : null)

  const tryDials = useCallback(async (now: Turned, quick: boolean): Promise<Plan> => {
    const known = Object.keys(strips.current)
    const found = await ask(api.POST('/api/batches/{slug}/plan/try', { params: { path: { slug } }, body: { ...now, quick, known } }))
    strips.current = { ...strips.current, ...found.strips }
    return { ...found, strips: strips.current }
  }, [slug])

  /** Solve for the newest position of the dials; positions passed over meanwhile are skipped. */
  const solveNewest = useCallback(async (): Promise<void> => {
    try {
      while (wanted.current) {
        const now = wanted.current
        wanted.current = null
        const found = await tryDials(now, true)
        // Drawn in pieces: the hand goes on turning meanwhile.
        startTransition(() => setTried(found))
        setError(null)
      }
    } catch (refusal) {
      setError(refusal)
    } finally {
      asking.current = null
    }
  }, [tryDials])

  /** Once the hand rests, prove the plan under the dials as they stand, and ask what one more is worth. */
  const weigh = useCallback(async (now: Turned): Promise<void> => {
    if (newest.current !== now) return
    try {
      const found = await tryDials(now, false)
      // The proof of dials that were turned on since would paint over what they show.
      if (newest.current === now) startTransition(() => setTried((old) => (old ? found : old)))
    } catch {
      // The quick plan stands; a refusal was shown already.
    } finally {
      if (newest.current === now) setProving(false)
    }
  }, [tryDials])

  const turn = (now: Turned): void => {
    setTurned(() => now)
    if (!data?.live || data.waiting + data.open_orders === 0) return
    wanted.current = newest.current = now
    setProving(true)
    clearTimeout(resting.current)
    // The proof would take its time from the quick plan that the hand waits for.
    asking.current ??= solveNewest()
    void asking.current.then(() => {
      if (newest.current !== now) return
      clearTimeout(resting.current)
      resting.current = setTimeout(() => { weighing.current = weighing.current.then(() => weigh(now)) }, REST_MS)
    })
  }
  useEffect(() => () => clearTimeout(resting.current), [])
  const begun = useRef(turned)
  const ready = Boolean(data)
  // biome-ignore lint/correctness/useExhaustiveDependencies: once, for dials that were turned before a reload
  useEffect(() => {
    if (ready && begun.current) turn(begun.current)
    if (ready) begun.current = null
  }, [ready])

  const putBack = (): void => {
    clearTimeout(resting.current)
    wanted.current = newest.current = null
    setTurned(() => null)
    setTried(null)
    setProving(false)
    setError(null)
  }

  const during = async (work: () => Promise<void>): Promise<void> => {
    if (busy) return
    setBusy(true)
    setError(null)
    try {
      await work()
    } catch (refusal) {
      setError(refusal)
    } finally {
      setBusy(false)
    }
  }

  const keep = (): Promise<void> => during(async () => {
    if (!dials) return
    await ask(api.POST('/api/batches/{slug}/plan', { ...path, body: dials }))
    putBack()
    await queries.invalidateQueries({ queryKey: ['plan', slug] })
  })

  const approve = (): Promise<void> => during(async () => {
    if (data?.plan?.state !== PlanState.SOLVED) return
    const one = { params: { path: { slug, number: data.plan.number } } }
    const approved = await ask(api.POST('/api/batches/{slug}/plan/{number}/approve', one))
    putBack()
    await queries.invalidateQueries()
    didAtOnce(`Plan ${approved.number} approved.`, async () => {
      await ask(api.POST('/api/batches/{slug}/plan/{number}/back', one))
      await queries.invalidateQueries()
      return `Plan ${approved.number} waits for approval again; its work orders, promises and purchases are taken back.`
    })
  })

  const stop = (): Promise<void> => during(async () => {
    if (!data?.plan) return
    await ask(api.POST('/api/batches/{slug}/plan/{number}/stop', { params: { path: { slug, number: data.plan.number } } }))
  })

  /** A wish changed: what people want is part of the case, so the plan is tried again. */
  const wished = async (call: () => Promise<unknown>): Promise<boolean> => {
    try {
      await call()
      setError(null)
    } catch (refusal) {
      setError(refusal)
      return false
    }
    await queries.invalidateQueries({ queryKey: ['plan', slug] })
    // Another case with the same dials: a proof that was asked for before is of the old one.
    if (dials) turn({ ...dials })
    return true
  }

  /** Pin how units end, or take their pins off; one key puts back what each had before. */
  const pin = async (tags: string[], outcome: Schemas['OutcomeKind'] | null, standard: string, option: string): Promise<boolean> => {
    const before = new Map((data?.pins ?? []).map((one) => [one.tag, one]))
    const send = (some: string[], as: { outcome: Schemas['OutcomeKind'] | null; standard: string; option: string }): Promise<unknown> =>
      ask(api.POST('/api/batches/{slug}/pins', { ...path, body: { ...as, tags: some, note: null } }))
    if (!(await wished(() => send(tags, { outcome, standard, option })))) return false
    const what = tags.length === 1 ? tags[0] : `${tags.length} units`
    didAtOnce(outcome ? `${what} pinned.` : `${what}: pin taken off.`, async () => {
      for (const tag of tags) {
        const was = before.get(tag)
        await send([tag], { outcome: was?.outcome ?? null, standard: was?.standard ?? '', option: was?.option ?? '' })
      }
      await queries.invalidateQueries({ queryKey: ['plan', slug] })
      return `${what}: as it was pinned before.`
    })
    return true
  }

  return { pin, view, data, dials, tried, turning: proving, proving: proving && tried !== null, busy, error, turn, putBack, keep, approve, stop, wished, touched: turned !== null }
}

export type Balance = ReturnType<typeof useBalance>

/** How one unit ends: in a word, and with all that is done to it, which compares. */
export interface End {
  short: string
  whole: string
}
export const NOT_DECIDED: End = { short: 'not decided', whole: '' }

export const endOf = (row: Schemas['BalanceRow']): End => ({ short: row.end, whole: [row.end, ...row.action_words].join(' · ') })

/** How each unit of a plan ends, by tag. */
export const endsOf = (plan: Plan | null | undefined): Map<string, End> => {
  const ends = new Map<string, End>()
  for (const row of plan?.rows ?? []) for (const tag of row.tags) ends.set(tag, endOf(row))
  return ends
}
