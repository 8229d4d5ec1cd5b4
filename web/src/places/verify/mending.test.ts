import { describe, expect, it } from 'vitest'
import type { Expectation } from '@/api/expectations'
import { mendOf, partiesOf } from './mending'

const thing = (more: Partial<Expectation>): Expectation => ({
  name: 'guests stay out',
  source: ['passenger-wifi', 'control'],
  destination: ['fares-db'],
  service: ['tcp/22'],
  must: 'blocked',
  at: null,
  owner: '',
  until: '',
  description: '',
  ...more,
})
const ticketing = { mended_in: { id: 7, name: 'ticketing' } }
const ground = {
  segments: [{ thing: { name: 'passenger-wifi' } }, { thing: { name: 'linkspans' } }],
  hosts: [],
  devices: [
    {
      thing: {
        name: 'eastpier-lock',
        interfaces: [
          { name: 'a', segment: 'linkspans', zone: 'control' },
          { name: 'b', segment: 'pumps', zone: 'Control' },
        ],
      },
    },
  ],
} as never
const parties = partiesOf(ground, [{ name: 'fares-db' }])

describe('a rule that mends what does not hold', () => {
  it('drops, in the policy that lets it through, with the segments of zones', () => {
    const mend = mendOf(thing({}), ticketing, parties)!
    expect([mend.policy, mend.policyName, mend.rule.action, mend.rule.log]).toEqual([
      7,
      'ticketing',
      'drop',
      true,
    ])
    expect(mend.rule.source).toEqual(['passenger-wifi', 'linkspans', 'pumps'])
    expect(mend.rule.service).toEqual(['tcp/22'])
  })
  it('allows, in the policy that stops it', () => {
    const mend = mendOf(thing({ must: 'allowed' }), ticketing, parties)!
    expect([mend.rule.action, mend.rule.log]).toEqual(['allow', false])
  })
  it('is none where no policy decides, or devices themselves are meant', () => {
    expect(mendOf(thing({}), { mended_in: null }, parties)).toBeNull()
    expect(mendOf(thing({ destination: ['Eastpier-lock'] }), ticketing, parties)).toBeNull()
    expect(mendOf(thing({ at: 'sat 03:00' }), ticketing, parties)).toBeNull()
    expect(mendOf(thing({ at: 'boarding' }), ticketing, parties)!.rule.schedule).toBe('boarding')
  })
})
