import { describe, expect, it } from 'vitest'
import { walkKeys } from '@/ui/longList'

describe('walking a list by keys', () => {
  it('goes by one, by a page and to the ends, never past them', () => {
    let at = -1
    const keys = walkKeys('rule', { count: () => 25, at: () => at, go: (to) => (at = to), when: () => true })
    const press = (on: string) => keys.find((key) => key.on.includes(on))!.act()
    const walk = [
      'ArrowDown',
      'ArrowDown',
      'PageDown',
      'PageDown',
      'PageDown',
      'ArrowUp',
      'PageUp',
      'Home',
      'PageUp',
      'End',
    ]
    expect(walk.map((on) => (press(on), at))).toEqual([0, 1, 11, 21, 24, 23, 13, 0, 0, 24])
  })

  it('is told in two lines of the sheet', () => {
    const keys = walkKeys('name', { count: () => 1, at: () => 0, go: () => 0, when: () => true })
    expect(keys.flatMap((key) => key.says ?? [])).toEqual(['the name above, below', 'the first, the last'])
  })
})
