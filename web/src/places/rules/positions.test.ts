import { describe, expect, it } from 'vitest'
import { gap, moved, moveTo, placeOfGap } from '@/places/rules/positions'

const rows = [1, 2, 3, 4].map((id) => ({ id }))

describe('places', () => {
  it('names the neighbours of a gap', () => {
    expect(gap(rows, 0)).toEqual({ after: null, before: 1 })
    expect(gap(rows, 2)).toEqual({ after: 2, before: 3 })
    expect(gap(rows, 4)).toEqual({ after: 4, before: null })
    expect(gap([], 0)).toEqual({ after: null, before: null })
  })

  it('agrees with the list after the move, for every row and every gap', () => {
    for (const { id } of rows)
      for (let at = 0; at <= rows.length; at++) {
        const target = placeOfGap(rows, id, at)
        const after = moved(rows, id, target)
        const place = after.findIndex((row) => row.id === id)
        expect(place + 1).toBe(target)
        expect(moveTo(rows, id, target)).toEqual({
          after: after[place - 1]?.id ?? null,
          before: after[place + 1]?.id ?? null,
        })
      }
  })

  it('stays inside the list', () => {
    expect(moveTo(rows, 2, 99)).toEqual({ after: 4, before: null })
    expect(moveTo(rows, 2, -1)).toEqual({ after: null, before: 1 })
  })
})
