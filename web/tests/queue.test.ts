import { beforeEach, describe, expect, it, vi } from 'vitest'
import { Refused } from '../src/api/client'
import { newToken } from '../src/api/token'
import { type Waiting, enqueue, flush, inLine, sendBy, takeBack, waitingOf, whenRefused } from '../src/frame/queue'

const refusal = (status: number): Refused => new Refused({ title: 't', status, detail: `status ${status}`, facts: {} })
let sent: unknown[] = []
let answer: (waiting: Waiting) => Promise<() => void>

beforeEach(() => {
  localStorage.clear()
  sent = []
  answer = async ({ body }) => () => { sent.push(body) }
  sendBy({ ticks: (waiting) => answer(waiting), inspections: (waiting) => answer(waiting) })
})

describe('the line of what waits to be sent', () => {
  it('is sent in order, whatever kind it is, and is empty then', async () => {
    enqueue('ticks', 'TW-1', 1)
    enqueue('inspections', 'TW-2', 2)
    enqueue('ticks', 'TW-1', 3)
    await flush()
    expect(sent).toEqual([1, 2, 3])
    expect(inLine()).toEqual([])
    expect(localStorage.length).toBe(0)
  })
  it('has one out of the line before it is told of', async () => {
    let left = -1
    answer = async () => () => { left = inLine().length }
    enqueue('ticks', 'TW-1', 1)
    await flush()
    expect(left).toBe(0)
  })
  it.each([0, 401, 429, 503])('waits, all of it, while the answer is %i', async (status) => {
    enqueue('ticks', 'TW-1', 1)
    enqueue('ticks', 'TW-1', 2)
    answer = () => Promise.reject(refusal(status))
    await flush()
    expect(waitingOf('ticks', 'TW-1').map((one) => one.body)).toEqual([1, 2])
  })
  it('drops what follows a refused one of the same unit and goes on with the rest', async () => {
    const told: string[] = []
    const end = whenRefused((waiting, problem) => told.push(`${waiting.tag} ${problem.detail}`))
    enqueue('ticks', 'TW-1', 1)
    enqueue('ticks', 'TW-1', 2)
    enqueue('ticks', 'TW-2', 3)
    answer = async ({ tag, body }) => {
      if (tag === 'TW-1') throw refusal(409)
      return () => { sent.push(body) }
    }
    await flush()
    end()
    expect([sent, told, inLine()]).toEqual([[3], ['TW-1 status 409'], []])
  })
  it('sends at once what joins the line while a turn that is over is not let go of yet', async () => {
    let letGo = (): void => {}
    const turns: Promise<void>[] = []
    const request = async (_: string, work: () => Promise<void>): Promise<void> => {
      await Promise.all(turns)
      const over = new Promise<void>((end) => { letGo = end })
      turns.push(over)
      await work()
      await over
    }
    vi.stubGlobal('navigator', { locks: { request } })
    const first = flush()
    await vi.waitFor(() => expect(turns).toHaveLength(1))
    await new Promise((end) => setTimeout(end))
    enqueue('ticks', 'TW-1', 1)
    const second = flush()
    letGo()
    await first
    await vi.waitFor(() => expect(turns).toHaveLength(2))
    letGo()
    await second
    vi.unstubAllGlobals()
    expect([sent, inLine()]).toEqual([[1], []])
  })
  it('takes back the last one, or all of a unit', () => {
    for (const body of [1, 2, 3]) enqueue('ticks', 'TW-1', body)
    enqueue('ticks', 'TW-2', 4)
    takeBack('ticks', 'TW-1', 'last')
    expect(waitingOf('ticks').map((one) => one.body)).toEqual([1, 2, 4])
    takeBack('ticks', 'TW-1')
    expect(waitingOf('ticks').map((one) => one.body)).toEqual([4])
  })
  it('sends once, however many ask', async () => {
    enqueue('ticks', 'TW-1', 1)
    await Promise.all([flush(), flush(), flush()])
    expect(sent).toEqual([1])
  })
  it('keeps what nobody here can send, and lets others pass', async () => {
    enqueue('letters', 'TW-1', 1)
    enqueue('toString', 'TW-1', 1)
    enqueue('ticks', 'TW-1', 2)
    await flush()
    expect([sent, inLine().map((one) => one.kind)]).toEqual([[2], ['letters', 'toString']])
  })
  it('reads nothing out of what it did not write', () => {
    for (const text of ['{not json', '{}', '[1, null, {"kind": "ticks"}]', 'null']) {
      localStorage.setItem('sortis.queue', text)
      expect(inLine()).toEqual([])
    }
  })
  it('names each of its own', () => {
    expect(new Set(Array.from({ length: 200 }, newToken)).size).toBe(200)
  })
})
