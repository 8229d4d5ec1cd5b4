/** Releases in words, and how long is left. */
import type { Shapes } from '@/api/client'
import { moment } from '@/ui/dates'
import { listed } from '@/words'

export type Release = Shapes['ReleaseOut']
const MOVING: readonly Release['state'][] = ['being sent', 'going back', 'to be confirmed', 'stuck']

/** The release under way, if one is. */
export function underWay(told: Shapes['ReleasesOut'] | undefined): Release | null {
  const newest = told?.releases[0]
  return newest && (MOVING.includes(newest.state) || newest.state === 'stuck going back') ? newest : null
}

/** Whether what is shown may change by itself at any second. */
export function moving(told: Shapes['ReleasesOut'] | undefined): boolean {
  const newest = told?.releases[0]
  return newest !== undefined && (MOVING.includes(newest.state) || newest.state === 'planned')
}

/** How many edits a draft of a revision is ahead of what is in force. */
export function aheadOf(told: Shapes['ReleasesOut'] | undefined, revision: number): number {
  return told ? revision - (told.revision - told.ahead) : revision
}

/** Which devices have what is in force, unless all that follow do: that it is decided here does not mean that it acts there. */
export function reach(told: Shapes['ReleasesOut'] | undefined): string {
  if (!told || told.in_force === null || told.reached === told.devices) return ''
  return told.devices === 1
    ? 'its device does not have it'
    : `${told.reached} of ${told.devices} devices have it`
}

/** The state of a release in words: one that came into force is not, once another did. */
export function stateOf(r: Release, told: Shapes['ReleasesOut']): string {
  const last = told.releases.find((other) => other.state === 'in force' || other.state === 'to be confirmed')
  return r.state === 'in force' && (r !== last || r.edition !== told.in_force) ? 'was in force' : r.state
}

/** `4:07`, or nothing once it is over. */
export function left(until: string | null, now: number): string {
  const seconds = until === null ? 0 : Math.ceil((Date.parse(until) - now) / 1000)
  if (seconds <= 0) return ''
  return `${Math.floor(seconds / 60)}:${String(seconds % 60).padStart(2, '0')}`
}

/** What became of a release, in one line. */
export function fate(r: Release, now: number): string {
  const failed = listed(r.devices.filter((d) => d.state === 'failed').map((d) => d.device))
  const done = r.devices.filter((d) => d.state === 'done').length
  const time = left(r.confirm_by, now)
  switch (r.state) {
    case 'planned':
      return `begins ${moment(r.due_at)}`
    case 'being sent':
      return `on its way, ${done} of ${r.devices.length} devices have it`
    case 'stuck':
      return `${failed} did not take it${time ? `; goes back in ${time}` : ''}`
    case 'to be confirmed':
      return time ? `goes back in ${time} unless somebody confirms` : 'goes back now'
    case 'in force':
      return r.note ? `stays, ${r.note}` : 'done'
    case 'going back':
      return `on its way back, ${r.note}`
    case 'stuck going back':
      return `${failed} did not go back`
    case 'gone back':
      return `went back: ${r.note}`
    default:
      return r.note
  }
}

const COUNTED = ['nobody has to sign', 'one has to sign', 'two have to sign']
export function needed(reviewers: number): string {
  return COUNTED[reviewers] ?? `${reviewers} have to sign`
}
