import createClient from 'openapi-fetch'
import type { components, paths } from './schema'
import { newToken } from './token'

export type Schemas = components['schemas']

/** A refusal by the server: what is so, what to do, and the facts behind it (RFC 9457). */
export interface Problem {
  title: string
  status: number
  detail: string
  facts: Record<string, unknown>
}

export class Refused extends Error {
  readonly problem: Problem
  constructor(problem: Problem) {
    super(problem.detail)
    this.problem = problem
  }
}

let csrfToken = ''
export const rememberToken = (token: string): void => {
  csrfToken = token
}

const AGAIN_MS = 300

/** A write that has a name may be sent again when no answer came: it is still done once. */
async function patient(request: Request): Promise<Response> {
  const again = request.headers.has('Idempotency-Key') ? request.clone() : null
  try {
    return await fetch(request)
  } catch (lost) {
    if (!again || !navigator.onLine) throw lost
    await new Promise((over) => setTimeout(over, AGAIN_MS))
    return fetch(again)
  }
}

export const api = createClient<paths>({ baseUrl: '/', fetch: patient })

/** Names of writes that nobody answered yet: sent again as they are, they are still the same write. */
const unanswered = new Map<string, string>()
/** What only reckons or reads, though it is sent: nothing is done twice by it. */
const RECKONS = /\/(plan|try|ladder|curve|ways|because|one-more|rules|rule|read|search|line|beside|draw|effect|look|paste|percent|begin|session|probe|here)$/
const signatures = new WeakMap<Request, string>()

async function signatureOf(request: Request): Promise<string> {
  const boundary = request.headers.get('Content-Type')?.split('boundary=')[1]
  const body = await request.clone().text()
  return `${request.method} ${request.url} ${boundary ? body.replaceAll(boundary, '') : body}`
}

api.use({
  async onRequest({ request }) {
    if (request.method === 'GET') return request
    request.headers.set('X-CSRFToken', csrfToken)
    if (!RECKONS.test(new URL(request.url).pathname)) {
      const signature = await signatureOf(request)
      const name = unanswered.get(signature) ?? newToken()
      unanswered.set(signature, name)
      signatures.set(request, signature)
      request.headers.set('Idempotency-Key', name)
    }
    return request
  },
  onResponse({ request, response }) {
    const signature = signatures.get(request)
    if (signature && response.status < 500) unanswered.delete(signature)
  },
})

const UNREACHABLE: Problem = {
  title: 'Not connected',
  status: 0,
  detail: 'Sortis does not answer. What you typed is kept on this device; it goes on when the connection is back.',
  facts: {},
}

/** The data of a call, or a Refused with the problem the server named. */
export async function ask<T>(call: Promise<{ data?: T; error?: unknown; response: Response }>): Promise<T> {
  let answer: { data?: T; error?: unknown; response: Response }
  try {
    answer = await call
  } catch {
    throw new Refused(UNREACHABLE)
  }
  if (answer.response.ok) return answer.data as T
  if (answer.response.status === 401) {
    location.assign(`/sign-in?next=${encodeURIComponent(location.pathname + location.search)}`)
  }
  const said = answer.error as Partial<Problem> | undefined
  throw new Refused({
    title: said?.title ?? 'Something went wrong here',
    status: answer.response.status,
    detail: said?.detail ?? `The server answered ${answer.response.status}. Nothing was changed; try again.`,
    facts: said?.facts ?? {},
  })
}

export const problemOf = (error: unknown): Problem =>
  error instanceof Refused ? error.problem : { title: 'Something went wrong here', status: 0, detail: String(error), facts: {} }

/** No answer, or a server or database that is away: nothing was refused, it may answer in a moment. */
const isSilence = (error: unknown): boolean => {
  const { status } = problemOf(error)
  return status === 0 || status >= 500
}

/**
 * What keeps a reading from being shown: it never came, or what was shown is gone or not this person's any more.
 * One that could only not be read anew stays as it was, and with it whatever was typed into it.
 */
export const lostOf = (query: { data: unknown; error: unknown }): unknown =>
  query.data === undefined || !isSilence(query.error) ? query.error : null
