import { describe, expect, it } from 'vitest'
import type { Seen, Sheet, Trial } from '@/api/trials'
import { groupsOf, isOtherwise, mustBe, others, progress } from './trying'

const trial = (packet: string, works: boolean | null): Trial => ({
  packet,
  source: 'kiosk-1',
  source_address: '10.44.10.11',
  destination: 'fares-db',
  destination_address: '10.44.50.5',
  service: 'tcp/5432',
  when: '',
  works,
  as_it_must: works,
  seen: [],
  counted: [],
})
const seen = (packet: string, worked: boolean, edition: number | null): Seen => ({
  packet,
  about: 'x',
  worked,
  otherwise: false,
  note: '',
  person: 'Maren',
  at: '2026-11-28T10:00:00',
  edition,
})
const sheet = (all: Seen[]): Sheet => ({
  version: 'edition 2, in force',
  in_force: 2,
  expectations: [
    {
      name: 'kiosks sell',
      sentence: 'kiosks sell: kiosks must reach fares-db',
      must: 'allowed',
      trials: [trial('a', true), trial('b', true), trial('c', null)],
      more: 0,
      why: '',
    },
  ],
  seen: all,
})

describe('what is on the sheet', () => {
  it('has each packet with what was seen of it, and says what was seen before', () => {
    const [group] = groupsOf(sheet([seen('b', false, 2), seen('a', true, 1)]))
    expect(group!.sentence).toBe('kiosks must reach fares-db')
    expect(group!.lines.map((l) => [l.number, l.seen?.worked ?? null, l.before])).toEqual([
      [1, true, true],
      [2, false, false],
      [3, null, true],
    ])
    expect(group!.lines.map(isOtherwise)).toEqual([false, true, false])
    expect(progress([group!])).toBe('2 of 3 tried, 1 otherwise than told')
  })
  it('keeps what was seen of packets that are not on it any more', () => {
    expect(others(sheet([seen('z', true, 1), seen('a', true, 1)])).map((s) => s.packet)).toEqual(['z'])
  })
  it('says first what must be where it is not so', () => {
    expect(mustBe('allowed', trial('a', true))).toBe('')
    expect(mustBe('blocked', { as_it_must: false, works: true })).toBe('must not answer, and will')
    expect(mustBe('allowed', { as_it_must: false, works: false })).toBe('must answer, and will not')
    expect(mustBe('allowed', { as_it_must: null, works: null })).toContain('nobody knows')
  })
})
