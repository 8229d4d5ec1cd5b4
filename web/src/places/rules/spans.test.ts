import { describe, expect, it } from 'vitest'
import { type NameOut, type RuleRow } from '@/api/client'
import { findRules, searchOf } from '@/places/rules/find'
import { meet, spanOf } from '@/places/rules/spans'

describe('spans', () => {
  it('reads addresses, prefixes and ranges of both families, and nothing else', () => {
    expect(spanOf('10.44.30.20')).toEqual({ family: 4, low: 0x0a2c1e14n, high: 0x0a2c1e14n })
    expect(spanOf('10.44.30.0/26')).toEqual({ family: 4, low: 0x0a2c1e00n, high: 0x0a2c1e3fn })
    expect(spanOf('fd00:44::/32')!.high - spanOf('fd00:44::/32')!.low).toBe((1n << 96n) - 1n)
    expect(spanOf('fd00:44::1-fd00:44::9')!.high).toBe(spanOf('fd00:44:0:0:0:0:0:9')!.low)
    for (const text of [
      '10.44.30',
      '10.44.30.300',
      '10.0.0.0/33',
      'kiosk-1',
      'any',
      'fd00::1::2',
      '',
      '10.44.0.9-10.44.0.1',
    ])
      expect(spanOf(text)).toBeNull()
  })

  it('meet where one holds some of the other', () => {
    const pairs = [
      ['10.44.30.20', '10.44.30.0/26'],
      ['10.44.0.0/16', '10.44.30.20'],
      ['0.0.0.0/0', '10.44.0.1-10.44.0.9'],
    ]
    for (const [a, b] of pairs) expect(meet(spanOf(a!)!, spanOf(b!)!)).toBe(true)
    expect(meet(spanOf('10.44.30.64')!, spanOf('10.44.30.0/26')!)).toBe(false)
    expect(meet(spanOf('::/0')!, spanOf('0.0.0.0/0')!)).toBe(false)
  })

  it('find the rules an address is in, whatever it is called there', () => {
    const names = [
      { name: 'linkspans', kind: 'segment', values: ['10.44.30.0/26'], members: [] },
      { name: 'tower', kind: 'segment', values: ['10.44.60.0/26'], members: [] },
    ] as unknown as NameOut[]
    const rule = (id: number, destination: string) =>
      ({
        id,
        rule: {
          name: `r${id}`,
          action: 'allow',
          source: ['any'],
          destination: [destination],
          service: ['any'],
        },
      }) as unknown as RuleRow
    const rows = [rule(1, 'Linkspans'), rule(2, 'tower'), rule(3, '10.44.30.16/28'), rule(4, 'any')]
    expect(findRules(rows, names, searchOf('10.44.30.20'), '').map((r) => r.id)).toEqual([1, 3])
    expect(findRules(rows, names, searchOf('10.44.0.0/16'), '').map((r) => r.id)).toEqual([1, 2, 3])
    expect(findRules(rows, names, searchOf('10.44.30.20 linkspans'), '').map((r) => r.id)).toEqual([1])
  })
})
