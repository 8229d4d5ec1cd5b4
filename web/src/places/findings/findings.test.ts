import { describe, expect, it } from 'vitest'
import type { PlacedFinding, RuleRow } from '@/api/client'
import { grouped, isHead, kindsOf, of, repairsOf, sifted } from '@/places/findings/findings'

const found = (more: Partial<PlacedFinding>): PlacedFinding => ({
  kind: 'shadowed',
  weight: 'warning',
  policy: 'ramp-side',
  rule: 'bridge',
  text: 'It decides nothing.',
  by: [],
  name: null,
  field: null,
  members: [],
  when: '',
  accepted: null,
  key: 'a',
  policy_id: 1,
  rule_id: 2,
  rule_ver: 1,
  name_id: null,
  name_kind: null,
  position: 3,
  fresh: false,
  ...more,
})
const rowOf = (more: object, rule: object = {}) =>
  ({
    id: 2,
    ver: 1,
    position: 3,
    kind: 'shadowed',
    works: null,
    rule: {
      name: 'bridge',
      action: 'allow',
      source: ['a', 'b'],
      destination: ['c'],
      service: ['https'],
      enabled: true,
      kept: false,
      ...rule,
    },
    ...more,
  }) as unknown as RuleRow

describe('the list', () => {
  const all = [
    found({}),
    found({ kind: 'unused', weight: 'note', policy: null, rule: null, name: 'old-net', fresh: true }),
    found({ rule: 'kiosks', accepted: { reason: 'until the move', until: '2027-01-31' } }),
  ]
  const everything = { which: 'open', kind: '', weight: '', word: '' } as const

  it('counts kinds in their order', () =>
    expect(kindsOf(all)).toEqual([
      ['shadowed', 2],
      ['unused', 1],
    ]))
  it('leaves out what is accepted, and can show it alone', () => {
    expect(sifted(all, everything).map((f) => f.rule)).toEqual(['bridge', null])
    expect(of(all, 'accepted').map((f) => f.rule)).toEqual(['kiosks'])
    expect(of(all, 'fresh').map((f) => f.name)).toEqual(['old-net'])
  })
  it('finds by kind, weight and any word', () => {
    expect(sifted(all, { ...everything, kind: 'unused' }).length).toBe(1)
    expect(sifted(all, { ...everything, weight: 'warning' }).length).toBe(1)
    expect(sifted(all, { ...everything, word: ' OLD-net' }).length).toBe(1)
    expect(sifted(all, { ...everything, word: 'rule:bri kind:"shad' }).length).toBe(0)
    expect(sifted(all, { ...everything, word: 'rule:bri' }).map((f) => f.rule)).toEqual(['bridge'])
    expect(sifted(all, { ...everything, word: 'rle:bri' })).toEqual([])
  })
  it('groups, each with its head and how many there are', () => {
    const heads = (by: 'weight' | 'policy' | 'kind') =>
      grouped(all, by)
        .filter(isHead)
        .map((h) => [h.head, h.count])
    expect(heads('weight')).toEqual([
      ['Warnings', 2],
      ['Notes', 1],
    ])
    expect(heads('policy')).toEqual([
      ['ramp-side', 2],
      ['names and the ground', 1],
    ])
    expect(grouped(all, 'kind').length).toBe(5)
  })
})

describe('what mends it', () => {
  const says = (f: PlacedFinding, row: RuleRow) => repairsOf(f, row, [row]).map((r) => [r.says, r.edit.act])

  it('is to go for a rule that decides nothing, or to a place where it works', () => {
    expect(says(found({}), rowOf({}))).toEqual([['Delete it', 'delete']])
    expect(says(found({}), rowOf({ works: { best: 2 } }))).toEqual([
      ['Delete it', 'delete'],
      ['Move it to 2, where it works', 'move'],
    ])
  })
  it('is not to go for one that is kept, switched off, or found to be something else', () => {
    expect(says(found({}), rowOf({}, { kept: true }))).toEqual([])
    expect(says(found({}), rowOf({}, { enabled: false }))).toEqual([])
    expect(says(found({ kind: 'undescribed' }), rowOf({}))).toEqual([])
  })
  it('is to take members off, but never all of them', () => {
    const idle = found({ kind: 'idle member', field: 'source', members: ['b'] })
    const [repair] = repairsOf(idle, rowOf({}), [])
    expect(repair?.edit).toMatchObject({ act: 'write', rule_key: 2, rule: { source: ['a'] } })
    expect(says(found({ kind: 'idle member', field: 'source', members: ['a', 'b'] }), rowOf({}))).toEqual([])
  })
})
