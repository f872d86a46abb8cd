import { QueryClient } from '@tanstack/react-query'
import { describe, expect, it } from 'vitest'
import { staleBy } from '../src/frame/live'
import { shows } from '../src/frame/shows'

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
