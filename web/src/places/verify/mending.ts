/** A rule that mends what does not hold: in the policy that lets through what must not pass, or stops what must. */
import type { NameOut, Rule, Shapes } from '@/api/client'
import type { Expectation } from '@/api/expectations'
import { blank, ruleOf } from '@/places/rules/ruleDraft'

type Told = Pick<Shapes['Verdicted'], 'mended_in'>
/** What rules name instead of a zone, which they do not take: its segments. */
export type Zones = ReadonlyMap<string, readonly string[]>

export interface Mend {
  policy: number
  policyName: string
  rule: Rule
}

const CLOCK = /\d:\d\d/

/** The rule, and where it belongs; null where no policy decides, or who is meant cannot be written in a rule. */
export function mendOf(thing: Expectation, told: Told, zones: Zones): Mend | null {
  const source = members(thing.source, zones)
  const destination = members(thing.destination, zones)
  if (thing.at && CLOCK.test(thing.at)) return null // no rule is active at a moment alone
  if (!told.mended_in || !source || !destination) return null
  const rule = ruleOf({
    ...blank(),
    name: thing.name.slice(0, 190),
    action: thing.must === 'blocked' ? 'drop' : 'allow',
    source,
    destination,
    service: [...thing.service],
    schedule: thing.at ?? null,
    log: thing.must === 'blocked',
    description: thing.description ?? '',
  })
  return { policy: told.mended_in.id, policyName: told.mended_in.name, rule }
}

function members(names: readonly string[], zones: Zones): string[] | null {
  const found = names.flatMap((name) => zones.get(name.toLowerCase()) ?? [name])
  return found.length ? [...new Set(found)] : null
}

/** The zones of a ground that are meant by their names: of one name hosts, segments, objects and devices come first. */
export function zonesOf(
  ground: Shapes['GroundOut'],
  names: readonly Pick<NameOut, 'name' | 'kind'>[],
): Zones {
  const taken = new Set(names.filter((n) => n.kind !== 'user').map((n) => n.name.toLowerCase()))
  const zones = new Map<string, string[]>()
  for (const device of ground.devices)
    for (const port of device.thing.interfaces ?? [])
      if (port.zone && port.segment && !taken.has(port.zone.toLowerCase())) {
        const key = port.zone.toLowerCase()
        zones.set(key, [...(zones.get(key) ?? []), port.segment])
      }
  return zones
}
