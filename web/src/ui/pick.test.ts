import { describe, expect, it } from 'vitest'
import { pick } from '@/ui/pick'

describe('choosing several', () => {
  it('picks one more, a range, or none', () => {
    const ids = [10, 20, 30, 40, 50]
    const range = pick(ids, new Set(), 20, 40, 'range')
    expect([...range]).toEqual([20, 30, 40])
    expect([...pick(ids, range, 40, 30, 'toggle')]).toEqual([20, 40])
    expect([...pick(ids, new Set(), 20, 50, 'toggle')]).toEqual([20, 50])
    expect(pick(ids, range, 40, 10, 'one').size).toBe(0)
  })
})
