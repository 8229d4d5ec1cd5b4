import { describe, expect, it } from 'vitest'
import type { ExpectationOut, Verdict } from '@/api/expectations'
import { courseOf, inOrder, standing } from '@/places/verify/holding'
import { mustSentence } from '@/words'

describe('what must hold', () => {
  it('is drawn as what happens to its packets', () => {
    expect(courseOf('kept', 'allowed')).toBe('allow')
    expect(courseOf('broken', 'allowed')).toBe('drop')
    expect(courseOf('kept', 'blocked')).toBe('drop')
    expect(courseOf('broken', 'blocked')).toBe('allow')
    expect(courseOf('undetermined', 'blocked')).toBe('undecided')
  })

  it('stands with what does not hold first', () => {
    const some = (['kept', 'undetermined', 'ended', 'broken', 'empty'] as Verdict[]).map(
      (verdict, id) => ({ id, verdict }) as ExpectationOut,
    )
    expect(inOrder(some).map((e) => e.id)).toEqual([3, 4, 1, 0, 2])
    expect(standing(some)).toBe('2 of 4 do not hold, 1 cannot be told')
    expect(standing(some.slice(0, 1))).toBe('all 1 hold')
    expect(standing([])).toBe('nothing is written yet')
  })

  it('is written as it is read', () => {
    expect(mustSentence('kiosks', true, 'fares db', ['postgres'], 'sat 03:00')).toBe(
      'kiosks must reach "fares db" on postgres at sat 03:00',
    )
    expect(mustSentence('internet', false, 'eastpier-lock itself', ['any'])).toBe(
      'internet must not reach eastpier-lock',
    )
  })
})
