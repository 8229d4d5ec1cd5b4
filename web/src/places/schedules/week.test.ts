import { describe, expect, it } from 'vitest'
import { dayName, dayWords, nowWords, shifted, spans, statesExplained, wall } from '@/places/schedules/week'

const day = (parts: object) => ({
  date: '2026-12-23',
  active: [],
  excepted: [],
  beyond: false,
  skipped: [],
  repeated: [],
  ...parts,
})
const span = (start: number, end: number) => ({ start: start * 60, end: end * 60 })

describe('a day of the strip in words', () => {
  it('tells what is active and what is excepted', () => {
    expect(dayWords(day({ active: [span(6, 7), span(22, 24)], excepted: [span(5.5, 6)] }))).toBe(
      'Wed 23 Dec: 06:00–07:00, 22:00–24:00; excepted 05:30–06:00',
    )
  })
  it('tells days without', () => {
    expect(dayWords(day({}))).toBe('Wed 23 Dec: not active')
    expect(dayWords(day({ beyond: true }))).toBe('Wed 23 Dec: beyond its dates')
  })
  it('tells where the clock jumps', () => {
    expect(dayWords(day({ skipped: [span(1, 2)] }))).toContain('the clock skips 01:00–02:00')
    expect(dayWords(day({ repeated: [span(1, 2)] }))).toContain('the clock shows 01:00–02:00 twice')
  })
  it('has no words for no spans', () => expect(spans([])).toBe(''))
})

describe('moments', () => {
  it('are told as the network’s clock shows them, wherever the reader is', () => {
    expect(wall('2026-11-25T06:00:00+00:00')).toBe('Wed 25 Nov 06:00')
    expect(wall('2027-06-01T00:30:00+01:00')).toBe('Tue 1 Jun 00:30')
  })
  it('know what is now and what comes next', () => {
    const changes = '2026-11-25T06:00:00+00:00'
    expect(nowWords({ now: true, changes })).toBe('active now, until Wed 25 Nov 06:00')
    expect(nowWords({ now: true, changes: null })).toBe('active now')
    expect(nowWords({ now: false, changes })).toBe('not active now; from Wed 25 Nov 06:00')
    expect(nowWords({ now: false, changes: null })).toBe('not active within a year')
    expect(nowWords({ now: false, over: true, changes: null })).toBe('never active again')
  })
  it('turn week by week over years', () => {
    expect(shifted('2026-12-28', 1)).toBe('2027-01-04')
    expect(shifted('2027-03-01', -1)).toBe('2027-02-22')
    expect(dayName('2028-02-29')).toBe('Tue 29 Feb')
  })
})

describe('states', () => {
  it('are explained where a rule names them', () => {
    expect(statesExplained([])).toEqual([])
    expect(statesExplained(['new'])).toEqual(['It matches only what begins a conversation.'])
    expect(statesExplained(['established']).join(' ')).toMatch(/opens nothing by itself.*lets replies pass/)
    expect(statesExplained(['new', 'invalid']).join(' ')).toMatch(/fits no conversation.*A stateless device/)
  })
})
