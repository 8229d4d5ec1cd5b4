import { describe, expect, it } from 'vitest'
import { type Decided, type RuleRow } from '@/api/client'
import { findRules, searchOf, type Sieve } from '@/places/rules/find'
import { blank } from '@/places/rules/ruleDraft'
import { decided, names } from '@/examples'

describe('finding', () => {
  const row = (id: number, rule: object, part: Partial<Decided> = {}) =>
    ({
      ...decided(part),
      id,
      position: id,
      rule: { ...blank(), source: ['any'], destination: ['any'], service: ['any'], ...rule },
    }) as unknown as RuleRow
  const list = [
    row(1, { name: 'time for all', action: 'allow', service: ['ntp'], log: true }),
    row(
      2,
      { name: 'panel', destination: ['ramp-hmi'], action: 'allow' },
      { decides: 'none', kind: 'shadowed' },
    ),
    row(3, { name: 'rest', description: 'the last word' }, { decides: 'part' }),
    row(4, { name: 'old', enabled: false, action: 'reject' }, { decides: 'none' }),
  ]
  const ids = (text: string, sieve: Sieve = '') =>
    findRules(list, names, searchOf(text), sieve).map((r) => r.id)

  it('looks into names, words and what the members stand for', () => {
    expect(ids('')).toEqual([1, 2, 3, 4])
    expect(ids('udp/123')).toEqual([1])
    expect(ids('10.44.30.20')).toEqual([2])
    expect(ids('LAST word')).toEqual([3])
    expect(ids('last panel')).toEqual([])
  })

  it('understands what is said of what a rule does', () => {
    expect(ids('action:allow')).toEqual([1, 2])
    expect(ids('decides:none active:yes')).toEqual([2])
    expect(ids('log:no rest')).toEqual([3])
    expect(searchOf('action:alow log:maybe').problems).toEqual([
      'action: is allow, drop, reject',
      'log: is yes, no',
    ])
  })

  it('asks the server for what rules speak of, and who changed them', () => {
    expect(searchOf('from:kiosk-3 on:tcp/443 by:maren words').server).toEqual({
      source: 'kiosk-3',
      service: 'tcp/443',
      by: 'maren',
    })
    expect(searchOf('10.44.30.20 action:drop').server).toBeNull()
  })

  it('sieves by what rules decide and do', () => {
    expect(ids('', 'dead')).toEqual([2])
    expect(ids('', 'part')).toEqual([3])
    expect(ids('', 'off')).toEqual([4])
    expect(ids('', 'logged')).toEqual([1])
    expect(ids('', 'blocks')).toEqual([3, 4])
  })
})
