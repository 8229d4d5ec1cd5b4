import { describe, expect, it } from 'vitest'
import type { GroundOut } from '@/api/client'
import { asUsual, besideLines, moved, numbered } from '@/places/standing/plan'

describe('a first network being written', () => {
  it('has what was understood beside its line', () => {
    const told = {
      lines: [
        { number: 1, words: 'segment a', problem: '' },
        { number: 3, words: '', problem: 'no' },
      ],
    }
    expect(besideLines('a 10.0.0.0/24\n\nx', told)).toEqual([
      { words: 'segment a', problem: '' },
      { words: '', problem: '' },
      { words: '', problem: 'no' },
    ])
    expect(besideLines('', null)).toEqual([{ words: '', problem: '' }])
  })
  it('moves a zone by one and no farther than the end', () => {
    expect(moved(['a', 'b', 'c'], 0, 1)).toEqual(['b', 'a', 'c'])
    expect(moved(['a', 'b', 'c'], 0, -1)).toEqual(['a', 'b', 'c'])
  })
  it('takes usual addresses only where none is written', () => {
    const asked = [
      { kind: 'address' as const, about: 'a', usual: '10.0.0.1' },
      { kind: 'address' as const, about: 'b', usual: '10.0.1.1' },
      { kind: 'uplink' as const, about: 'internet', usual: '' },
    ]
    expect(asUsual({ asked }, { b: '10.0.1.9', a: ' ' })).toEqual({ a: '10.0.0.1', b: '10.0.1.9' })
  })
  it('numbers what is not there yet', () => {
    const held = () => ({ id: 0, ver: 0, thing: {} })
    const ground = {
      zones: [held(), held()],
      segments: [held()],
      hosts: [],
      devices: [{ ...held(), interfaces: [held(), held()] }],
    } as unknown as GroundOut
    const made = numbered(ground)
    const ids = [...made.zones, ...made.segments, ...made.devices, ...made.devices[0]!.interfaces].map(
      (t) => t.id,
    )
    expect(new Set(ids).size).toBe(6)
  })
})
