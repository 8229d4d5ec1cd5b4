/** Moments as they are written and read here: the date first, the clock behind, and by whose clock. */

const two = (n: number) => String(n).padStart(2, '0')

export const dateOf = (d: Date) => `${d.getFullYear()}-${two(d.getMonth() + 1)}-${two(d.getDate())}`
const clockOf = (d: Date) => `${two(d.getHours())}:${two(d.getMinutes())}`

/** The zone that this browser's clock goes by, as it is called at a moment. */
export function zoneAt(at: Date): string {
  const parts = new Intl.DateTimeFormat('en', { timeZoneName: 'short' }).formatToParts(at)
  return parts.find((part) => part.type === 'timeZoneName')?.value ?? ''
}

/** `2026-11-27 14:05 UTC`, by this browser's clock. */
export function moment(iso: string): string {
  const at = new Date(iso)
  return `${local(at)} ${zoneAt(at)}`
}

/** `2026-11-27 14:05`, as it is written into a field. */
export const local = (at: Date) => `${dateOf(at)} ${clockOf(at)}`

/** What is written, as a date or a moment that exists; null if it is none. */
export function read(text: string, time: boolean): Date | null {
  const form = time ? /^(\d{4})-(\d\d?)-(\d\d?)[ T]+(\d\d?):(\d\d)$/ : /^(\d{4})-(\d\d?)-(\d\d?)()()$/
  const found = form.exec(text.trim())
  if (!found) return null
  const [year, month, day, hour, minute] = found.slice(1).map(Number) as [
    number,
    number,
    number,
    number,
    number,
  ]
  const at = new Date(year, month - 1, day, hour, minute)
  const same =
    at.getFullYear() === year &&
    at.getMonth() === month - 1 &&
    at.getDate() === day &&
    hour < 24 &&
    minute < 60
  return same ? at : null
}

/** The weeks that a month touches, Monday first. */
export function weeksOf(year: number, month: number): Date[][] {
  const day = (n: number) => new Date(year, month, n)
  const monday = 1 - ((day(1).getDay() + 6) % 7)
  const last = new Date(year, month + 1, 0).getDate()
  const weeks: Date[][] = []
  for (let n = monday; n <= last; n += 7) weeks.push([0, 1, 2, 3, 4, 5, 6].map((i) => day(n + i)))
  return weeks
}
