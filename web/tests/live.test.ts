import { QueryClient } from '@tanstack/react-query'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { follow, marksOf, staleBy } from '../src/frame/live'
import { shows } from '../src/frame/shows'

const server = vi.hoisted(() => ({ asked: 0, answer: {} }))
vi.mock('../src/api/client', () => ({
  api: { POST: () => { server.asked += 1 } },
  ask: () => Promise.resolve(server.answer),
}))

const marks = { batch: 'a', stock: 'b', day: 'c', shelf: 'd', unit: 'e', unit_by: '', unit_at: '', others: [] }

describe('what others changed', () => {
  it('is nothing at the first look', () => {
    expect(staleBy(null, marks, 'quay', 'TW-1')).toEqual([])
    expect(staleBy(marks, { ...marks, others: ['Ines'] }, 'quay', 'TW-1')).toEqual([])
  })
  it('asks again for what that mark shows, and never for an inspection that is being typed', () => {
    const asked = staleBy(marks, { ...marks, unit: 'f', stock: 'g' }, 'quay', 'TW-1')
    expect(asked).toContainEqual(['work', 'TW-1'])
    expect(asked).toContainEqual(['stock'])
    expect(asked).not.toContainEqual(['units', 'quay'])
    for (const mark of ['batch', 'stock', 'day', 'shelf', 'unit']) {
      expect(staleBy(marks, { ...marks, [mark]: 'z' }, 'quay', 'TW-1').flat()).not.toContain('inspection')
    }
  })
})

describe('what the stream tells', () => {
  it('is read before it is believed', () => {
    expect(marksOf(JSON.stringify(marks))).toEqual(marks)
    for (const wrong of ['', '{', 'null', '[]', '{"batch":"a"}', JSON.stringify({ ...marks, others: [1] }), JSON.stringify({ ...marks, unit: 5 })]) {
      expect(marksOf(wrong)).toBeNull()
    }
  })
})

describe('a page that is looked at', () => {
  class Stream {
    static readonly OPEN = 1
    static readonly CLOSED = 2
    static all: Stream[] = []
    readyState = 0
    onmessage: (said: { data: string }) => void = () => undefined
    onerror: () => void = () => undefined
    readonly address: string
    constructor(address: string) {
      this.address = address
      Stream.all.push(this)
    }
    close(): void { this.readyState = Stream.CLOSED }
    tells(told: typeof marks): void {
      this.readyState = Stream.OPEN
      this.onmessage({ data: JSON.stringify(told) })
    }
    isRefused(): void {
      this.readyState = Stream.CLOSED
      this.onerror()
    }
  }
  const page = { hidden: false, heard: new Set<() => void>() }
  const turn = (hidden: boolean): void => {
    page.hidden = hidden
    for (const seen of page.heard) seen()
  }
  let heard: string[] = []
  let leave = (): void => undefined
  const begin = (): void => { leave = follow('quay', 'TW-1', (now) => heard.push(now.stock)) }

  beforeEach(() => {
    vi.useFakeTimers()
    Stream.all = []
    server.asked = 0
    server.answer = { ...marks, stock: 'asked' }
    heard = []
    page.hidden = false
    vi.stubGlobal('EventSource', Stream)
    vi.stubGlobal('navigator', { onLine: true })
    vi.stubGlobal('document', { get hidden() { return page.hidden }, addEventListener: (_: string, seen: () => void) => page.heard.add(seen), removeEventListener: (_: string, seen: () => void) => page.heard.delete(seen) })
  })
  afterEach(() => {
    leave()
    vi.advanceTimersByTime(60_000)
    vi.unstubAllGlobals()
    vi.useRealTimers()
  })

  it('hears by the stream, and asks nothing while it hears', async () => {
    begin()
    await vi.advanceTimersByTimeAsync(500)
    expect(Stream.all.map(({ address }) => address)).toEqual(['/api/stream?batch=quay&tag=TW-1'])
    Stream.all[0]?.tells({ ...marks, stock: 'told' })
    await vi.advanceTimersByTimeAsync(20_000)
    expect([heard, server.asked, Stream.all.length]).toEqual([['told'], 0, 1])
  })

  it('asks where the stream is silent, and no more once it comes', async () => {
    begin()
    await vi.advanceTimersByTimeAsync(2_500)
    expect([heard, server.asked]).toEqual([['asked'], 1])
    Stream.all[0]?.tells({ ...marks, stock: 'told' })
    await vi.advanceTimersByTimeAsync(10_000)
    expect([heard, server.asked]).toEqual([['asked', 'told'], 1])
  })

  it('asks at once where the stream is refused, and tries it again later', async () => {
    begin()
    await vi.advanceTimersByTimeAsync(500)
    Stream.all[0]?.isRefused()
    await vi.advanceTimersByTimeAsync(10)
    expect(server.asked).toBe(1)
    await vi.advanceTimersByTimeAsync(10_000)
    expect([server.asked, Stream.all.length]).toEqual([6, 1])
    await vi.advanceTimersByTimeAsync(8_000)
    expect(Stream.all.length).toBe(2)
  })

  it('lets go of the stream in the background, and takes it up at once when it is looked at', async () => {
    vi.setSystemTime(0)
    begin()
    await vi.advanceTimersByTimeAsync(20_000)
    const open = (): number => Stream.all.filter(({ readyState }) => readyState !== Stream.CLOSED).length
    Stream.all.at(-1)?.tells(marks)
    expect(open()).toBe(1)
    turn(true)
    expect(open()).toBe(0)
    const before = server.asked
    await vi.advanceTimersByTimeAsync(10_000)
    expect([open(), server.asked]).toEqual([0, before])
    turn(false)
    expect(open()).toBe(1)
    leave()
    expect([open(), page.heard.size]).toEqual([0, 0])
  })
})

describe('what a write answers with', () => {
  it('is not written over by what was asked for before it', async () => {
    const queries = new QueryClient()
    const key = ['work', 'TW-1']
    let answer: (older: number) => void = () => undefined
    const asked = queries.fetchQuery({ queryKey: key, queryFn: () => new Promise<number>((done) => { answer = done }) }).catch(() => 'dropped')
    shows(queries, key, 2)
    answer(1)
    await asked
    expect(queries.getQueryData(key)).toBe(2)
  })
})
