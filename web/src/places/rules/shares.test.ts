import { describe, expect, it } from 'vitest'
import { type Level, shares } from '@/places/rules/shares'

describe('the map of a long list', () => {
  it('gives each line the shares of its rules, all of them once', () => {
    const levels = Array.from({ length: 1000 }, (_, i): Level => (i < 500 ? (i % 2 ? 4 : 2) : 1))
    const told = shares(levels, 100)
    expect(told[0]).toEqual([0, 0, 0.5, 0, 0.5])
    expect(told[49]).toEqual([0, 0, 0.5, 0, 0.5])
    expect(told[50]).toEqual([0, 1, 0, 0, 0])
    expect(told.flat().reduce((a, b) => a + b)).toBeCloseTo(100)
    expect(shares([4], 0)).toEqual([])
    expect(shares([4, 2, 2], 2)).toEqual([
      [0, 0, 0.5, 0, 0.5],
      [0, 0, 1, 0, 0],
    ])
  })
})
