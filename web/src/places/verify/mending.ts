/** A rule that mends what does not hold: in the policy that lets through what must not pass, or stops what must. */
import type { Rule, Shapes } from '@/api/client'
import type { Expectation } from '@/api/expectations'
import { blank, ruleOf } from '@/places/rules/ruleDraft'

type Told = Pick<Shapes['Verdicted'], 'mended_in'>
/** What names stand for that rules do not take: zones by their segments; devices themselves by nothing. */
export interface Parties {
  zones: ReadonlyMap<string, readonly string[]>
  devices: ReadonlySet<string>
}

export interface Mend {
  policy: number
  policyName: string
  rule: Rule
}

const CLOCK = /\d:\d\d/

/** The rule, and where it belongs; null where no policy decides, or who is meant cannot be written in a rule. */
export function mendOf(thing: Expectation, told: Told, parties: Parties): Mend | null {
  const source = members(thing.source, parties)
  const destination = members(thing.destination, parties)
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

function members(names: readonly string[], { zones, devices }: Parties): string[] | null {
  const keys = names.map((name) => name.toLowerCase())
  if (keys.some((key) => devices.has(key))) return null
  const found = names.flatMap((name, n) => zones.get(keys[n]!) ?? [name])
  return found.length ? [...new Set(found)] : null
}

/** Which names of a ground rules do not take; of one name hosts, segments and objects come first. */
export function partiesOf(ground: Shapes['GroundOut'], taken: readonly { name: string }[]): Parties {
  const own = new Set(
    [...ground.segments, ...ground.hosts]
      .map((t) => t.thing.name)
      .concat(taken.map((n) => n.name))
      .map((n) => n.toLowerCase()),
  )
  const zones = new Map<string, string[]>()
  for (const device of ground.devices)
    for (const port of device.thing.interfaces ?? [])
      if (port.zone && port.segment && !own.has(port.zone.toLowerCase())) {
        const key = port.zone.toLowerCase()
        zones.set(key, [...(zones.get(key) ?? []), port.segment])
      }
  const devices = ground.devices
    .map((d) => d.thing.name.toLowerCase())
    .filter((n) => !own.has(n) && !zones.has(n))
  return { zones, devices: new Set(devices) }
}
