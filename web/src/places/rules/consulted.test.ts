import { describe, expect, it } from 'vitest'
import type { GroundOut } from '@/api/client'
import { type Entry, orderOf, placesOf, shifted, without, withEntry } from '@/places/rules/consulted'

const entry = (policy: string, stage: Entry['stage'] = 'passage'): Entry => ({
  policy,
  stage,
  entering: ['any'],
  leaving: ['any'],
})
const policies = [entry('a'), entry('itself', 'to the device'), entry('B'), entry('c')]
const device = {
  id: 7,
  ver: 2,
  thing: { name: 'lock', policies },
  interfaces: [],
} as unknown as GroundOut['devices'][number]
const ground = { devices: [device] } as GroundOut
const named = (thing: { policies?: { policy: string }[] } | null) => thing?.policies?.map((e) => e.policy)

describe('where a policy is consulted', () => {
  const place = placesOf(ground, 'b')[0]!
  it('is told with the order among those of its stage', () => {
    expect([place.index, place.before, place.after]).toEqual([2, ['a'], ['c']])
    expect(orderOf(place)).toBe('after a, before c')
    expect(orderOf(placesOf(ground, 'itself')[0]!)).toBe('')
    expect(placesOf(ground, 'nobody')).toEqual([])
  })
  it('changes by one entry and leaves the others as they are', () => {
    expect(named(withEntry(device, entry('n'), true))).toEqual(['n', 'a', 'itself', 'B', 'c'])
    expect(named(withEntry(device, entry('n', 'to the device'), true))).toEqual([
      'a',
      'n',
      'itself',
      'B',
      'c',
    ])
    expect(named(withEntry(device, entry('n', 'outbound'), true))).toEqual(['a', 'itself', 'B', 'c', 'n'])
    expect(named(withEntry(device, entry('n'), false))).toEqual(['a', 'itself', 'B', 'c', 'n'])
    expect(named(without(place))).toEqual(['a', 'itself', 'c'])
  })
  it('moves past the next of its stage alone', () => {
    expect(named(shifted(place, -1))).toEqual(['B', 'a', 'itself', 'c'])
    expect(named(shifted(place, 1))).toEqual(['a', 'itself', 'c', 'B'])
    expect(shifted(placesOf(ground, 'itself')[0]!, 1)).toBeNull()
    expect(named(device.thing)).toEqual(['a', 'itself', 'B', 'c'])
  })
})
