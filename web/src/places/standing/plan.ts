/** A first network being written: the answers, and where what was understood stands beside its line. */
import type { GroundOut } from '@/api/client'
import type { Answers, PlanTold } from '@/api/first'

export const NO_ANSWERS: Answers = {
  order: [],
  device: '',
  lets: 'outward',
  uplink: '',
  next_hop: '',
  hides: false,
  addresses: {},
  managed_from: '',
  serves: [],
  must: '',
  must_not: '',
}

/** What was understood of each line of a text, an empty word for lines that say nothing. */
export function besideLines(text: string, told: Pick<PlanTold, 'lines'> | null) {
  const of = new Map((told?.lines ?? []).map((line) => [line.number, line]))
  return text
    .split('\n')
    .map((_, at) => ({ words: of.get(at + 1)?.words ?? '', problem: of.get(at + 1)?.problem ?? '' }))
}

/** The zones with one moved by a place; the same where there is none. */
export function moved(zones: readonly string[], at: number, by: -1 | 1): string[] {
  const next = [...zones]
  const to = at + by
  if (to < 0 || to >= next.length) return next
  next.splice(to, 0, ...next.splice(at, 1))
  return next
}

/** All addresses that are asked for, as is usual, beside those that somebody wrote. */
export function asUsual(
  told: Pick<PlanTold, 'asked'>,
  addresses: Answers['addresses'],
): Answers['addresses'] {
  const asked = told.asked.filter((one) => one.kind === 'address')
  return { ...Object.fromEntries(asked.map((one) => [one.about, one.usual])), ...written(addresses) }
}

const written = (addresses: Answers['addresses']) =>
  Object.fromEntries(Object.entries(addresses).filter(([, address]) => address.trim()))

/** Things that are not there yet have no ids: each gets one of its own, for the chart to tell them apart. */
export function numbered(ground: GroundOut): GroundOut {
  let next = -1
  const each = <T extends { id: number }>(some: readonly T[]): T[] =>
    some.map((one) => ({ ...one, id: next-- }))
  return {
    ...ground,
    zones: each(ground.zones),
    segments: each(ground.segments),
    hosts: each(ground.hosts),
    devices: each(ground.devices).map((d) => ({ ...d, interfaces: each(d.interfaces) })),
  }
}
