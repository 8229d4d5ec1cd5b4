import { describe, expect, it } from 'vitest'
import { merge } from '@/editing/merge'
import { blank } from '@/places/rules/ruleDraft'

describe('two people on one rule', () => {
  const base = { ...blank(), name: 'r', source: ['a'] }

  it('takes what only the other changed and keeps what I wrote', () => {
    const mine = { ...base, description: 'mine', source: ['a', 'b'] }
    const theirs = { ...base, enabled: false, source: ['a', 'c'] }
    const { merged, taken, clashes } = merge(base, mine, theirs)
    expect(merged).toEqual({ ...mine, enabled: false })
    expect(taken).toEqual(['enabled'])
    expect(clashes).toEqual(['source'])
  })

  it('finds nothing to tell where both did the same', () => {
    const both = { ...base, log: true }
    expect(merge(base, both, both)).toEqual({ merged: both, taken: [], clashes: [] })
  })
})
