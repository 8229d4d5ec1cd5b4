import { describe, expect, it } from 'vitest'
import { byDraft, endingSoon, headline } from '@/places/standing/glance'
import type { ExpectationOut, Verdict } from '@/api/expectations'

const one = (name: string, verdict: Verdict, until = ''): ExpectationOut => ({
  id: 1,
  ver: 1,
  thing: {
    name,
    source: ['a'],
    destination: ['b'],
    service: ['any'],
    must: 'blocked',
    until,
    owner: '',
    description: '',
  },
  sentence: '',
  verdict,
  reason: '',
  flow: null,
  ends: null,
  stopped: null,
  let_through: [],
  mended_in: null,
})

describe('the home', () => {
  it('says in one sentence how it stands', () => {
    expect(headline([one('a', 'kept'), one('b', 'broken'), one('c', 'ended')])).toEqual({
      word: 'Not quite:',
      rest: '1 of 2 things that must hold does not.',
    })
    expect(headline([one('a', 'kept'), one('b', 'empty'), one('c', 'broken')]).rest).toContain('2 of 3')
    expect(headline([one('a', 'undetermined')]).word).toBe('As far as is known:')
    expect(headline([one('a', 'kept')]).word).toBe('As it should be:')
    expect(headline([one('a', 'ended')]).word).toBe('Nothing says yet')
  })

  it('tells what the draft mends and breaks, and nothing of what is new', () => {
    const listed = [one('a', 'kept'), one('b', 'broken'), one('c', 'broken'), one('new', 'broken')]
    expect(byDraft(listed, { a: 'broken', b: 'kept', c: 'broken' })).toEqual({ mends: ['a'], breaks: ['b'] })
    expect(byDraft(listed, null)).toEqual({ mends: [], breaks: [] })
  })

  it('tells what ends soon, the nearest first', () => {
    const listed = [
      one('far', 'kept', '2026-12-30'),
      one('soon', 'kept', '2026-12-05'),
      one('past', 'ended', '2026-11-01'),
    ]
    expect(endingSoon(listed, [], '2026-11-28', 14).map((e) => e.name)).toEqual(['soon'])
    expect(endingSoon(listed, [], '2026-11-28', 40).map((e) => e.name)).toEqual(['soon', 'far'])
  })
})
