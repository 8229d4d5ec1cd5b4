/** The course of one part of an answer, for its chart and its rows. */
import type { GroundOut, PartOut, Shapes } from '@/api/client'
import { ACTS, deciderOf } from '@/chart/courses'

export type Place = Shapes['PlaceOut']
/** One device on the way, by the interfaces it is entered and left by; nothing where it takes or sends itself. */
export interface Crossing {
  device: string
  entering: string | null
  leaving: string | null
}
const fold = (name: string) => name.toLowerCase()

/** The devices passed, in order; a device whose places follow each other is one. */
export function crossings(places: Place[]): Crossing[] {
  const out: Crossing[] = []
  for (const { device, entering, leaving } of places) {
    if (device === 'hosts') continue
    const last = out.at(-1)
    if (!last || last.device !== device || last.entering !== entering || last.leaving !== leaving)
      out.push({ device, entering, leaving })
  }
  return out
}

/** A wire between devices: its segment, the zones it has for the devices at it, how deep it lies (from 0 to 1). */
export interface Leg {
  id: number | null
  x: number
  w: number
  name: string
  line: string
  zone: string
  depth: number
  /** Not reached: where it was meant to go. */
  beyond: boolean
}
export interface Lock {
  id: number | null
  x: number
  name: string
}
export interface Strip {
  legs: Leg[]
  locks: Lock[]
  width: number
}
export const LOCK_W = 128
export const PLATE_W = 132
/** Plate, half a lock at each side, and something of the line between. */
const LEG_W = 300

/**
 * A way as a strip of the chart, from who asks at the left to who is asked at the right: wires in the water of their depth, devices as
 * locks in the contours between them. What was not reached is at the end. An answer's way is told from right to left. It takes the room
 * there is, and more if that is too little.
 */
export function stripOf(ground: GroundOut, part: PartOut, way: 'there' | 'back', room: number): Strip {
  const { source_segment, destination_segment } = part.course
  const passed = crossings(part.course[way])
  const met = way === 'there' ? passed : passed.map(turned).reverse()
  const deviceOf = (name: string) => ground.devices.find((d) => d.thing.name === name)
  const interfaceOf = (c: Crossing | undefined, name: string | null) =>
    c && deviceOf(c.device)?.interfaces.find((i) => i.thing.name === name)?.thing
  const wires = [null, ...met].map((before, index) => {
    const [out, into] = [
      interfaceOf(before ?? undefined, before?.leaving ?? null),
      interfaceOf(met[index], met[index]?.entering ?? null),
    ]
    const zones = [out?.zone, into?.zone].filter((zone) => zone !== undefined && zone !== null)
    return { segment: out?.segment ?? into?.segment ?? null, zones: [...new Set(zones)] }
  })
  const last = wires.at(-1)!.segment
  const itself = part.course.there.at(-1)?.where === 'to the device'
  const short = destination_segment && !itself && !same(last, destination_segment) && !arrivedIn(part)
  if (way === 'there' && short) wires.push({ segment: destination_segment, zones: [] })
  if (!met.length && !wires[0]!.segment) wires[0]!.segment = source_segment
  const width = Math.max(room, wires.length * LEG_W)
  const w = width / wires.length
  const legs = wires.map(({ segment, zones }, index): Leg => {
    const found = ground.segments.find((s) => same(s.thing.name, segment))
    const prefixes = found?.thing.prefixes ?? []
    return {
      id: found?.id || null,
      x: index * w,
      w,
      name: found?.thing.name ?? '',
      line: !found ? '' : prefixes.length ? prefixes[0]! : 'everything else',
      zone: zones.join(' / '),
      depth: depthOf(ground, zones[0] ?? wires[index - 1]?.zones.at(-1)),
      beyond: way === 'there' && Boolean(short) && index === wires.length - 1,
    }
  })
  const locks = met.map((c, i) => ({ id: deviceOf(c.device)?.id || null, x: (i + 1) * w, name: c.device }))
  return { legs, locks, width }
}

const same = (a: string | null, b: string | null) => fold(a ?? '') === fold(b ?? '')
const turned = (c: Crossing): Crossing => ({ ...c, entering: c.leaving, leaving: c.entering })
export const arrivedIn = (part: PartOut) => part.result === 'delivered' || part.result === 'unanswered'

/** How deep a zone lies among all, from 0 to 1. */
function depthOf(ground: GroundOut, zone: string | undefined): number {
  const depths = [...new Set(ground.zones.map((z) => z.thing.depth ?? 0))].sort((a, b) => a - b)
  const own = ground.zones.find((z) => same(z.thing.name, zone ?? null))?.thing.depth ?? 0
  return depths.length > 1 ? depths.indexOf(own) / (depths.length - 1) : 0
}

/** Whether the answer goes back by the devices that the question came by, in their order. */
export function sameWay(part: PartOut): boolean {
  const names = (places: Place[]) => crossings(places).map((c) => c.device)
  const [there, back] = [names(part.course.there), names(part.course.back).reverse()]
  return back.every((name, i) => there[there.length - back.length + i] === name)
}

export interface Mark {
  number: number
  x: number
  /** Beside its device on the line, where it is consulted at an interface; or below the device. */
  beside: boolean
  stops: boolean
}
const STEP = 26
const BESIDE = LOCK_W / 2 + 18

/** The places numbered on a strip: at the line they are consulted at, the others in a row below their device. */
export function marksOf(strip: Strip, part: PartOut): Mark[] {
  const met = crossings(part.course.there)
  const placed = part.course.there.map((place) => ({
    place,
    lock: met.findIndex((c) => sameCrossing(c, place)),
    side: { inbound: -1, outbound: 1 }[place.where] ?? 0,
  }))
  return placed.flatMap(({ place, lock, side }, index) => {
    const at = strip.locks[lock]
    if (!at) return []
    const below = placed.filter((p) => p.lock === lock && !p.side)
    const offset = side
      ? side * BESIDE
      : (below.findIndex((p) => p.place === place) - (below.length - 1) / 2) * STEP
    const stops = place.step !== null && place.step.action !== 'allow'
    return [{ number: index + 1, x: at.x + offset, beside: side !== 0, stops }]
  })
}

const sameCrossing = (c: Crossing, p: Place) =>
  c.device === p.device && c.entering === p.entering && c.leaving === p.leaving

/** What decides at a place, in words; the decider by itself, to be linked. */
export function decisionOf(place: Place): { act: string; decider: string; policy: string | null } {
  const { step } = place
  if (!step) return { act: place.told, decider: '', policy: null }
  return { act: `${ACTS[step.action]} by`, decider: deciderOf(step), policy: step.policy }
}

/** How it ends, from whoever asks: in words. */
export function endOf(part: PartOut): string {
  const notices = `who asks notices ${part.symptom}`
  if (part.result === 'delivered')
    return part.course.there.length ? 'arrives, and the answer comes back' : 'arrives, and passes no device'
  if (part.result === 'unanswered') return `arrives, but ${part.missing}; ${notices}`
  if (part.result === 'undetermined') return part.missing ?? 'undetermined'
  return [part.missing, part.result === part.missing ? '' : part.result, notices].filter(Boolean).join('; ')
}

const flowText = (f: Shapes['EndsOut']) => `${f.source} to ${f.destination} on ${f.service}`

/** A part as text, to be read out or pasted elsewhere. */
export function asText(question: string, sentence: string, part: PartOut): string {
  const { source, destination, service, there, back } = part.course
  const line = (p: Place) => {
    const { act, decider, policy } = decisionOf(p)
    const became = p.became && `: ${flowText(p.seen!)} becomes ${flowText(p.became)}`
    return `${p.device}, ${p.at}: ${act}${decider && ` ${decider}`}${policy ? ` in ${policy}` : ''}${became ?? ''}`
  }
  return [
    `${question}: ${sentence}`,
    `${source} to ${destination} on ${service}`,
    ...there.map((p, i) => `${i + 1}. ${line(p)}`),
    ...(back.length ? ['the answer:', ...back.map((p) => `   ${line(p)}`)] : []),
    endOf(part),
  ].join('\n')
}

/** A place that stops a flow, in words. */
export function obstacleText(place: Place, back: boolean): string {
  const { decider, policy } = decisionOf(place)
  const where = `${place.device}, ${place.at}${back ? ', the answer' : ''}`
  return `${where}: ${decider}${policy ? ` in ${policy}` : ''}`
}

/** What becomes of it if all these let it pass. */
export function thenText(told: Shapes['ObstaclesOut'] | undefined): string {
  if (!told?.places.length) return ''
  if (told.result === null) return 'There is more in its way.'
  if (told.result === 'delivered') return 'Then it arrives, and the answer comes back.'
  return `Then it is ${told.result}${told.missing ? `: ${told.missing}` : ''}.`
}
