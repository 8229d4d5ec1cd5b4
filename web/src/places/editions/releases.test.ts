import { describe, expect, it } from 'vitest'
import {
  aheadOf,
  fate,
  left,
  moving,
  reach,
  type Release,
  stateOf,
  underWay,
} from '@/places/editions/releases'

const NOW = Date.parse('2026-11-23T12:00:00Z')
function release(more: Partial<Release>): Release {
  return {
    number: 2,
    edition: 3,
    before: 2,
    state: 'in force',
    reason: '',
    reference: '',
    answers: {},
    person: 'Maren',
    asked_at: '',
    due_at: '',
    began_at: null,
    confirm_minutes: 5,
    confirm_by: null,
    ended_at: null,
    note: '',
    devices: [],
    ...more,
  }
}
const device = (name: string, state: 'done' | 'failed' | 'waiting') => ({
  device: name,
  state,
  detail: '',
  tries: 1,
  at: '',
})

const told = (in_force: number | null, ...releases: Release[]) => ({
  in_force,
  ahead: 2,
  devices: 5,
  reached: 5,
  revision: 9,
  now: '',
  settings: { reviewers: 0, confirm_minutes: 0, managed_from: [], second_factor: false },
  releases,
})

describe('what is in force', () => {
  it('is the last release only, and none that went back', () => {
    const [first, second] = [release({ number: 1, edition: 1 }), release({ number: 2, edition: 2 })]
    expect(stateOf(second, told(2, second, first))).toBe('in force')
    expect(stateOf(first, told(2, second, first))).toBe('was in force')
    const waiting = release({ number: 2, edition: 2, state: 'to be confirmed' })
    expect(stateOf(first, told(2, waiting, first))).toBe('was in force')
    const back = release({ number: 2, edition: 2, state: 'gone back' })
    expect(stateOf(first, told(1, back, first))).toBe('in force')
    expect(stateOf(back, told(1, back, first))).toBe('gone back')
  })

  it('is told with the devices that have it, unless all do', () => {
    expect(reach(told(1))).toBe('')
    expect(reach({ ...told(1), reached: 0 })).toBe('0 of 5 devices have it')
    expect(reach({ ...told(1), devices: 1, reached: 0 })).toBe('its device does not have it')
    expect(reach({ ...told(null), reached: 0 })).toBe('')
    expect(reach(undefined)).toBe('')
  })

  it('is so many edits behind the draft', () => {
    expect(aheadOf(told(1), 9)).toBe(2)
    expect(aheadOf(told(1), 12)).toBe(5)
    expect(aheadOf(undefined, 4)).toBe(4)
  })
})

describe('a release', () => {
  it('counts down and never below nothing', () => {
    expect(left('2026-11-23T12:04:07Z', NOW)).toBe('4:07')
    expect(left('2026-11-23T12:00:00.400Z', NOW)).toBe('0:01')
    expect(left('2026-11-23T11:59:59Z', NOW)).toBe('')
    expect(left(null, NOW)).toBe('')
  })

  it('says where it stands', () => {
    const devices = [device('a', 'done'), device('b', 'failed'), device('c', 'waiting')]
    expect(fate(release({ state: 'being sent', devices }), NOW)).toBe('on its way, 1 of 3 devices have it')
    const until = '2026-11-23T12:01:00Z'
    expect(fate(release({ state: 'stuck', devices, confirm_by: until }), NOW)).toBe(
      'b did not take it; goes back in 1:00',
    )
    expect(fate(release({ state: 'to be confirmed', confirm_by: until }), NOW)).toBe(
      'goes back in 1:00 unless somebody confirms',
    )
    expect(fate(release({ state: 'gone back', note: 'nobody confirmed in time' }), NOW)).toBe(
      'went back: nobody confirmed in time',
    )
  })

  it('is under way until it has ended', () => {
    const told = (state: Release['state']) => ({
      in_force: 1,
      ahead: 0,
      devices: 0,
      reached: 0,
      revision: 1,
      now: '',
      settings: { reviewers: 0, confirm_minutes: 0, managed_from: [], second_factor: false },
      releases: [release({ state })],
    })
    expect(underWay(told('stuck'))?.number).toBe(2)
    expect(underWay(told('planned'))).toBeNull()
    expect(underWay(told('gone back'))).toBeNull()
    expect(moving(told('planned'))).toBe(true)
    expect(moving(told('stuck going back'))).toBe(false)
    expect(moving(undefined)).toBe(false)
  })
})
