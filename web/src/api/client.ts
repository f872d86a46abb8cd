import createClient from 'openapi-fetch'
import type { components, paths } from './schema'

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

export const api = createClient<paths>({ baseUrl: '/' })
api.use({
  onRequest({ request }) {
    if (request.method !== 'GET') request.headers.set('X-CSRFToken', csrfToken)
    return request
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
