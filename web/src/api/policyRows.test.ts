import { describe, expect, it } from 'vitest'
import type { PolicyOut } from '@/api/client'
import { knows, whole } from '@/api/policyRows'
import { row } from '@/examples'

const policy = (part: Partial<PolicyOut>) =>
  ({
    id: 1,
    version: 'a-1',
    known: null,
    runs: [],
    rows: [1, 2, 3, 4].map((p) => row(p)),
    ...part,
  }) as PolicyOut
const runs = (...given: [number, number][]) => given.map(([first, length]) => ({ first, length }))
const told = (p: PolicyOut | null) => p?.rows.map((r) => [r.id, r.position])

describe('the rows of a policy', () => {
  it('are what was here and what became of it, those that stay the same objects', () => {
    const first = whole(policy({}))!
    expect(knows(1)).toEqual({ 'Sarvex-Known': 'a-1' })
    expect(knows(2)).toEqual({})
    const changed = { ...row(2), ver: 2 }
    const now = { version: 'a-2', known: 'a-1', runs: runs([0, 1], [2, 2], [-1, 1]), rows: [changed] }
    const next = whole(policy(now))!
    expect(told(next)).toEqual([
      [10, 1],
      [30, 2],
      [40, 3],
      [20, 4],
    ])
    expect(next.rows[0]).toBe(first.rows[0])
    expect(first.rows[2]!.position).toBe(3) // the version before is as it was
    expect(next.rows[3]).toMatchObject({ ver: 2, position: 4 })
    expect(next).toMatchObject({ known: null, runs: [] })
    expect(knows(1)).toEqual({ 'Sarvex-Known': 'a-2' })
  })

  it('cannot be told against what is not here', () => {
    const against = (version: string, known: string, first: number) =>
      whole(policy({ id: 3, version, known, runs: runs([first, 1]), rows: [] }))
    expect(against('a-9', 'a-8', 0)).toBeNull()
    expect(knows(3)).toEqual({})
    for (let i = 1; i < 6; i++) whole(policy({ id: 3, version: `a-${i}` }))
    expect(against('b', 'a-2', 0)).toBeNull()
    expect(told(against('b', 'a-4', 1))).toEqual([[20, 1]])
  })
})
