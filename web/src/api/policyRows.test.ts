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
const told = (p: PolicyOut | null) => p?.rows.map((r) => [r.id, r.position])

describe('the rows of a policy', () => {
  it('are what was here and what became of it, those that stay the same objects', () => {
    const first = whole(policy({}))!
    expect(knows(1)).toEqual({ 'Sarvex-Known': 'a-1' })
    expect(knows(2)).toEqual({})
    const changed = { ...row(2), ver: 2 }
    const next = whole(
      policy({
        version: 'a-2',
        known: 'a-1',
        runs: [
          [0, 1],
          [2, 2],
          [-1, 1],
        ],
        rows: [changed],
      }),
    )!
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
    expect(whole(policy({ id: 3, version: 'a-9', known: 'a-8', runs: [[0, 4]], rows: [] }))).toBeNull()
    expect(knows(3)).toEqual({})
    for (let i = 1; i < 6; i++) whole(policy({ id: 3, version: `a-${i}` }))
    expect(whole(policy({ id: 3, version: 'b', known: 'a-2', runs: [[0, 4]], rows: [] }))).toBeNull()
    expect(told(whole(policy({ id: 3, version: 'b', known: 'a-4', runs: [[1, 1]], rows: [] })))).toEqual([
      [20, 1],
    ])
  })
})
