import { describe, expect, it } from 'vitest'
import { dateOf, local, moment, read, weeksOf } from '@/ui/dates'

describe('dates', () => {
  it('reads dates and moments that exist, and no others', () => {
    expect(local(read('2026-2-3 4:05', true)!)).toBe('2026-02-03 04:05')
    expect(local(read(' 2026-02-03T04:05 ', true)!)).toBe('2026-02-03 04:05')
    expect(dateOf(read('2028-02-29', false)!)).toBe('2028-02-29')
    for (const [text, time] of [
      ['2027-02-29', false],
      ['2026-13-01', false],
      ['27.11.2026', false],
      ['2026-11-27', true],
      ['2026-11-27 24:00', true],
      ['2026-11-27 10:60', true],
      ['', false],
    ] as const)
      expect(read(text, time), text).toBeNull()
  })

  it('tells a moment with its zone', () => {
    const told = moment('2026-11-27T12:00:00Z')
    expect(told).toMatch(/^2026-11-2\d \d\d:00 \S+$/)
    expect(read(told.split(' ').slice(0, 2).join(' '), true)!.toISOString()).toBe('2026-11-27T12:00:00.000Z')
  })

  it('has whole weeks from Monday that hold each day of the month once', () => {
    for (let month = 0; month < 24; month++) {
      const weeks = weeksOf(2026, month)
      const days = weeks.flat()
      expect(weeks.every((w) => w.length === 7 && w[0]!.getDay() === 1)).toBe(true)
      const own = days.filter((d) => d.getMonth() === month % 12)
      expect(own.map((d) => d.getDate())).toEqual(own.map((_, i) => i + 1))
      expect(own).toHaveLength(new Date(2026, month + 1, 0).getDate())
      for (const week of [weeks[0]!, weeks.at(-1)!])
        expect(week.some((d) => d.getMonth() === month % 12)).toBe(true)
    }
  })
})
