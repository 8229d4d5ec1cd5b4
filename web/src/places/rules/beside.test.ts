import { describe, expect, it } from 'vitest'
import type { RuleRow } from '@/api/client'
import { row, rule } from '@/examples'
import { likes } from './beside'

const of = (id: number, more: Partial<RuleRow['rule']>): RuleRow =>
  row(id, { id, rule: rule({ source: ['a', 'b'], destination: ['c'], service: ['ssh'], ...more }) })

describe('rules of two policies beside each other', () => {
  const here = [of(1, {}), of(2, { negate: ['destination'] }), of(3, { source: ['x'], action: 'drop' })]
  const found = (more: Partial<RuleRow['rule']>) => likes([of(9, more)], here).get(9)

  it('are alike if they match the same, whatever the order and case of members', () => {
    expect(found({ source: ['B', 'a'] })).toMatchObject({ row: { id: 1 }, swapped: false, alike: true })
    expect(found({ source: ['x'], action: 'allow' })).toMatchObject({ row: { id: 3 }, alike: false })
    expect(found({ service: ['ssh', 'https'] })).toBeUndefined()
    expect(found({ schedule: 'nights' })).toBeUndefined()
    expect(found({ until: '2031-01-31' })).toBeUndefined()
  })
  it('are found with their ends swapped, what is negated with them', () => {
    expect(found({ source: ['c'], destination: ['b', 'a'] })).toMatchObject({ row: { id: 1 }, swapped: true })
    expect(found({ source: ['c'], destination: ['a', 'b'], negate: ['source'] })).toMatchObject({
      row: { id: 2 },
      swapped: true,
    })
  })
})
