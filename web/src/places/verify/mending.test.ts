import { describe, expect, it } from 'vitest'
import type { Expectation } from '@/api/expectations'
import { mendOf, zonesOf } from './mending'

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
const zones = zonesOf(ground, [
  { name: 'fares-db', kind: 'host' },
  { name: 'eastpier-lock', kind: 'device' },
])

describe('a rule that mends what does not hold', () => {
  it('drops, in the policy that lets it through, with the segments of zones', () => {
    const mend = mendOf(thing({}), ticketing, zones)!
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
    const mend = mendOf(thing({ must: 'allowed' }), ticketing, zones)!
    expect([mend.rule.action, mend.rule.log]).toEqual(['allow', false])
  })
  it('speaks of a device itself by its name, of a zone that is called like one too', () => {
    expect(mendOf(thing({ destination: ['Eastpier-lock'] }), ticketing, zones)!.rule.destination).toEqual([
      'Eastpier-lock',
    ])
    expect(zonesOf(ground, [{ name: 'control', kind: 'device' }]).size).toBe(0)
    expect(zonesOf(ground, [{ name: 'control', kind: 'user' }]).size).toBe(1)
  })
  it('is none where no policy decides, or at a moment alone', () => {
    expect(mendOf(thing({}), { mended_in: null }, zones)).toBeNull()
    expect(mendOf(thing({ at: 'sat 03:00' }), ticketing, zones)).toBeNull()
    expect(mendOf(thing({ at: 'boarding' }), ticketing, zones)!.rule.schedule).toBe('boarding')
  })
})
