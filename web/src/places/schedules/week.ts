/** A schedule in words: what of a day it is active, what it excepts, when it next begins or ends. */
import type { Shapes } from '@/api/client'

type Span = Shapes['SpanOut']
export type Day = Shapes['DayOut']
export type State = Shapes['Rule']['states'] extends (infer S)[] | undefined ? S : never

export const DAY_MINUTES = 1440
const DAYS = ['Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat', 'Sun']
const MONTHS = ['Jan', 'Feb', 'Mar', 'Apr', 'May', 'Jun', 'Jul', 'Aug', 'Sep', 'Oct', 'Nov', 'Dec']

export function clock(minute: number): string {
  return `${String(Math.floor(minute / 60)).padStart(2, '0')}:${String(minute % 60).padStart(2, '0')}`
}

export function spans(list: readonly Span[]): string {
  return list.map((s) => `${clock(s.start)}–${clock(s.end)}`).join(', ')
}

/** `Wed 25 Nov`; the place of a day in its week tells its name. */
export function dayName(date: string): string {
  const [year, month, day] = date.split('-').map(Number) as [number, number, number]
  const weekday = (new Date(Date.UTC(year, month - 1, day)).getUTCDay() + 6) % 7
  return `${DAYS[weekday]} ${day} ${MONTHS[month - 1]}`
}

/** A day of the strip for those who do not see it. */
export function dayWords(day: Day): string {
  const told = [
    day.beyond ? 'beyond its dates' : day.active.length ? spans(day.active) : 'not active',
    day.excepted.length ? `excepted ${spans(day.excepted)}` : '',
    day.skipped.length ? `the clock skips ${spans(day.skipped)}` : '',
    day.repeated.length ? `the clock shows ${spans(day.repeated)} twice` : '',
  ]
  return `${dayName(day.date)}: ${told.filter(Boolean).join('; ')}`
}

/** A moment as the network's clock shows it, from ISO 8601 with that clock's offset. */
export function wall(moment: string): string {
  return `${dayName(moment.slice(0, 10))} ${moment.slice(11, 16)}`
}

/** Whether it is active now, and until when that stays so. */
export function nowWords(line: { now: boolean; over?: boolean; changes?: string | null }): string {
  if (line.over) return 'never active again'
  const until = line.changes ? wall(line.changes) : ''
  if (line.now) return until ? `active now, until ${until}` : 'active now'
  return until ? `not active now; from ${until}` : 'not active within a year'
}

/** The date some weeks later. */
export function shifted(date: string, weeks: number): string {
  const [year, month, day] = date.split('-').map(Number) as [number, number, number]
  return new Date(Date.UTC(year, month - 1, day + 7 * weeks)).toISOString().slice(0, 10)
}

const MEANING: Record<State, string> = {
  new: 'what begins a conversation',
  established: 'what belongs to a conversation already let through',
  related: 'what such a conversation brings about, such as errors about it',
  invalid: 'what fits no conversation the device knows',
}

/** What a rule on these states matches, and what follows from it; nothing where it matches every state. */
export function statesExplained(states: readonly State[]): string[] {
  if (!states.length) return []
  const told = [`It matches only ${states.map((s) => MEANING[s]).join(', and ')}.`]
  if (!states.includes('new'))
    told.push('It opens nothing by itself: where nothing else lets a conversation begin, it never acts.')
  if (states.some((s) => s === 'established' || s === 'related'))
    told.push('A stateful device lets replies pass by itself; there such a rule is rarely needed.')
  if (states.some((s) => s === 'related' || s === 'invalid'))
    told.push('A stateless device knows neither related nor invalid.')
  return told
}
