import { describe, expect, it } from 'vitest'
import { type GroundOut } from '@/api/client'
import { contour, chartOf } from '@/places/ground/chart'
import { applies, byDefault, found, outline } from '@/editing/things'

describe('the ground', () => {
  const held = <T extends object>(id: number, thing: T) => ({ id, ver: 1, thing })
  const ground = {
    revision: 1,
    zones: [held(1, { name: 'inside', depth: 4 }), held(2, { name: 'outside', depth: 0 })],
    segments: [
      held(3, { name: 'desks', prefixes: ['10.44.1.0/24'], vlan: 7 }),
      held(4, { name: 'world', prefixes: [], outside: true }),
      held(5, { name: 'lost', prefixes: ['10.44.9.0/24'] }),
    ],
    hosts: [
      held(6, { name: 'printer', segment: 'DESKS', addresses: ['10.44.1.9'], traits: ['kind printer'] }),
    ],
    devices: [
      {
        ...held(7, {
          name: 'lock',
          policies: [{ policy: 'p', stage: 'outbound', entering: ['any'], leaving: ['Outside'] }],
        }),
        translate_destination: [],
        translate_source: [],
        steering: [],
        interfaces: [
          held(8, { name: 'a', segment: 'Desks', zone: 'inside' }),
          held(9, { name: 'b', segment: 'world', zone: 'OUTSIDE' }),
          held(10, { name: 'c', zone: 'inside' }),
        ],
        between: [],
      },
    ],
    policies: [{ id: 11, ver: 1, name: 'p', description: '', default: 'drop', families: 'both', rules: 3 }],
    at_hosts: held(12, { name: 'at hosts', at_hosts: [] }),
    findings: [],
  } as unknown as GroundOut

  it('is drawn by depth, with nothing left out and nothing on top of another', () => {
    const chart = chartOf(ground)
    expect(chart.bands.map((b) => b.names)).toEqual([['outside'], ['inside']])
    expect(chart.plates.map((p) => p.name).sort()).toEqual(['desks', 'lost', 'world'])
    expect(chart.plates.find((p) => p.name === 'world')!.x).toBeLessThan(chart.bands[1]!.x)
    expect(chart.plates.find((p) => p.name === 'desks')!.x).toBeGreaterThan(chart.bands[1]!.x)
    expect(chart.adrift).not.toBeNull()
    const boxes = [...chart.plates, ...chart.locks]
    for (const [i, a] of boxes.entries())
      for (const b of boxes.slice(i + 1))
        expect(a.x < b.x + b.w && b.x < a.x + a.w && a.y < b.y + b.h && b.y < a.y + a.h).toBe(false)
    expect(chart.courses.map((c) => [c.id, c.policies])).toEqual([
      [8, []],
      [9, ['p (outbound)']],
    ])
    expect(chart.courses.map((c) => c.gate !== null)).toEqual([false, true])
    expect(contour(10, 300).startsWith('M10,0')).toBe(true)
  })

  it('is listed with what hangs on what, and a hit keeps what it hangs on', () => {
    const items = outline(ground)
    expect(items.map((i) => i.name)).toEqual([
      'outside', 'inside', 'lock', 'a', 'b', 'c', 'desks', 'printer', 'world', 'lost', 'p', 'at hosts',
    ]) // prettier-ignore
    expect(found(items, 'kind printer').map((i) => i.name)).toEqual(['desks', 'printer'])
    expect(found(items, '10.44.9').map((i) => i.name)).toEqual(['lost'])
    expect(found(items, 'nowhere')).toEqual([])
  })

  it('tells defaults in words', () => {
    const pair = (entering: string, leaving: string, open: boolean) =>
      ({ entering, leaving, default: open ? 'open' : 'closed' }) as const
    expect(
      byDefault([pair('a', 'a', true), pair('a', 'b', false), pair('b', 'a', true), pair('b', 'b', true)]),
    ).toEqual([
      { from: 'a', text: 'open to itself, closed to the rest' },
      { from: 'b', text: 'open to every zone' },
    ])
  })

  it('asks only for what a thing of that kind has', () => {
    expect(applies('interfaces', 'vlan', { kind: 'physical' })).toBe(false)
    expect(applies('interfaces', 'vlan', { kind: 'vlan' })).toBe(true)
    expect(applies('devices', 'zone_default.inward', { zone_default: { mode: 'open' } })).toBe(false)
  })
})
