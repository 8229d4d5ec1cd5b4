/** The home in words: what it comes to, what the draft mends and breaks, and what ends soon. */
import type { Shapes } from '@/api/client'
import type { ExpectationOut, Verdict } from '@/api/expectations'
import { isBad, tally } from '@/places/verify/holding'

type Held = NonNullable<Shapes['StandingOut']['in_force']>

/** The one sentence: whether what must hold does. */
export function headline(listed: readonly Pick<ExpectationOut, 'verdict'>[]): { word: string; rest: string } {
  const { counting, broken, unknown } = tally(listed)
  if (!counting) return { word: 'Nothing says yet', rest: 'what must hold in this network.' }
  if (broken)
    return {
      word: 'Not quite:',
      rest: `${broken} of ${counting} things that must hold ${broken === 1 ? 'does' : 'do'} not.`,
    }
  if (unknown)
    return {
      word: 'As far as is known:',
      rest: `${unknown} of ${counting} things that must hold cannot be told.`,
    }
  return { word: 'As it should be:', rest: `all ${counting} things that must hold do.` }
}

/** What the draft mends and breaks of what must hold, against what is in force; by name. */
export function byDraft(
  listed: readonly ExpectationOut[],
  held: Held | null | undefined,
): { mends: string[]; breaks: string[] } {
  const was = (e: ExpectationOut): Verdict | undefined => held?.[e.thing.name]
  const told = listed.filter((e) => was(e) !== undefined && was(e) !== e.verdict)
  return {
    mends: told.filter((e) => isBad(was(e)!) && !isBad(e.verdict)).map((e) => e.thing.name),
    breaks: told.filter((e) => !isBad(was(e)!) && isBad(e.verdict)).map((e) => e.thing.name),
  }
}

/** What ends within so many days from a date, the nearest first. */
export function endingSoon(
  listed: readonly ExpectationOut[],
  schedules: readonly Shapes['ScheduleLine'][],
  today: string,
  days: number,
): { name: string; on: string; what: 'holds' | 'schedules'; id: number }[] {
  const last = new Date(Date.parse(today) + days * 86_400_000).toISOString().slice(0, 10)
  const within = (date: string | undefined) => !!date && date >= today && date <= last
  return [
    ...listed
      .filter((e) => within(e.thing.until))
      .map((e) => ({ name: e.thing.name, on: e.thing.until!, what: 'holds' as const, id: e.id })),
    ...schedules
      .filter((s) => within(s.thing.last))
      .map((s) => ({ name: s.thing.name, on: s.thing.last!, what: 'schedules' as const, id: s.id })),
  ].sort((a, b) => a.on.localeCompare(b.on))
}
