/** The ground as a chart: depth bands from outside to inside, plates for segments, locks for devices. */
import { counted } from '@/words'
import type { GroundOut } from '@/api/client'

export interface Box {
  x: number
  y: number
  w: number
  h: number
}
export interface Band {
  names: string[]
  depth: number | null
  x: number
  w: number
}
export interface Plate extends Box {
  id: number
  name: string
  line: string
  tag: string
  outside: boolean
}
export interface Lock extends Box {
  id: number
  name: string
  line: string
  tag: string
}
export interface Course {
  id: number
  lock: number
  plate: number
  path: string
  /** Where policies are consulted for this very interface or its zone. */
  gate: { x: number; y: number; angle: number } | null
  policies: string[]
  title: string
}
export interface Chart {
  bands: Band[]
  plates: Plate[]
  locks: Lock[]
  courses: Course[]
  width: number
  height: number
  /** Where the segments begin that no device is on; null if there are none. */
  adrift: number | null
}

const BAND = 138
const PLATE = { w: 122, h: 42 }
const LOCK = { w: 128, h: 40 }
const TAGGED_H = 53
const ROW = 60
const HEAD = 58
const GATE_AT = 0.42

type Segment = GroundOut['segments'][number]
const fold = (name: string) => name.toLowerCase()

/** Lay a ground out: one lane of rows per device, its plates above and below it, each in the band of its zone. */
export function chartOf(ground: GroundOut): Chart {
  const bands = bandsOf(ground)
  const home = homes(ground)
  const plates = new Map<string, Plate>()
  const locks: Lock[] = []
  let top = HEAD
  for (const device of ground.devices) {
    const own = ground.segments.filter((s) => home.get(fold(s.thing.name))?.device === device.id)
    const columns = bands.map((_, band) =>
      own.filter((s) => home.get(fold(s.thing.name))!.band(bands) === band),
    )
    const above = Math.max(0, ...columns.map((c) => Math.ceil(c.length / 2)))
    const below = Math.max(0, ...columns.map((c) => Math.floor(c.length / 2)))
    columns.forEach((column, band) => {
      const half = Math.ceil(column.length / 2)
      column.forEach((segment, i) => {
        const row = i < half ? above - half + i : above + 1 + (i - half)
        plates.set(fold(segment.thing.name), plate(segment, bands[band]!, top + row * ROW))
      })
    })
    const y = top + above * ROW
    const tag = lockTag(device)
    locks.push({
      ...LOCK,
      h: tag ? TAGGED_H : LOCK.h,
      id: device.id,
      name: device.thing.name,
      line: lockLine(device),
      tag,
      x: 0,
      y: y + 1,
    })
    top += (above + below + 1) * ROW + 10
  }
  const adrift = ground.segments.filter((s) => !home.has(fold(s.thing.name)))
  const shore = adrift.length ? top + 14 : null
  adrift.forEach((segment, i) => {
    const band = bands[i % bands.length]!
    plates.set(fold(segment.thing.name), plate(segment, band, top + 36 + Math.floor(i / bands.length) * ROW))
  })
  const width = bands.reduce((sum, band) => sum + band.w, 0)
  const rows = shore === null ? 0 : 36 + Math.ceil(adrift.length / bands.length) * ROW
  ground.devices.forEach((device, i) => place(locks[i]!, device, plates, width))
  return {
    bands,
    plates: [...plates.values()],
    locks,
    courses: ground.devices.flatMap((device, i) => coursesOf(device, locks[i]!, plates)),
    width,
    height: Math.max(top + rows + 10, 420),
    adrift: shore,
  }
}

/** The zones from the outermost to the innermost, those of one depth together; one more for what has none. */
function bandsOf(ground: GroundOut): Band[] {
  const depths = [...new Set(ground.zones.map((z) => z.thing.depth ?? 0))].sort((a, b) => a - b)
  const bare = ground.devices.some((d) => d.interfaces.some((i) => i.thing.segment && !i.thing.zone))
  const bands: Band[] = depths.map((depth) => ({
    depth,
    names: ground.zones.filter((z) => (z.thing.depth ?? 0) === depth).map((z) => z.thing.name),
    x: 0,
    w: BAND,
  }))
  if (bare || !bands.length) bands.push({ depth: null, names: ['no zone'], x: 0, w: BAND })
  bands.forEach((band, i) => (band.x = i * BAND))
  return bands
}

/** For each segment that a device is on: the first such device, and the band of its zone there. */
function homes(ground: GroundOut) {
  const found = new Map<string, { device: number; band: (bands: Band[]) => number }>()
  for (const device of ground.devices)
    for (const { thing } of device.interfaces) {
      if (!thing.segment || found.has(fold(thing.segment))) continue
      const zone = thing.zone ? fold(thing.zone) : null
      found.set(fold(thing.segment), {
        device: device.id,
        band: (bands) => {
          const at = bands.findIndex((b) =>
            zone === null ? b.depth === null : b.names.some((n) => fold(n) === zone),
          )
          return at < 0 ? bands.length - 1 : at
        },
      })
    }
  return found
}

function plate(segment: Segment, band: Band, y: number): Plate {
  const { thing } = segment
  const prefixes = thing.prefixes ?? []
  return {
    ...PLATE,
    id: segment.id,
    name: thing.name,
    line: prefixes.length
      ? prefixes[0]! + (prefixes.length > 1 ? ` +${prefixes.length - 1}` : '')
      : 'everything else',
    tag: thing.vlan ? `vlan ${thing.vlan}` : '',
    outside: thing.outside ?? false,
    x: band.x + (band.w - PLATE.w) / 2,
    y: y + 12,
  }
}

/** What it does to packets beside letting them pass. */
function lockTag({
  translate_destination,
  translate_source,
  steering,
}: GroundOut['devices'][number]): string {
  const translates = translate_destination.length + translate_source.length > 0
  return [translates && 'translates', steering.length > 0 && 'steers'].filter(Boolean).join(', ')
}

function lockLine(device: GroundOut['devices'][number]): string {
  const count = device.thing.policies?.length ?? 0
  return `${device.thing.filtering ?? 'stateful'} · ${counted(count, 'policy')}`
}

/** A lock lies in the contour between two bands, near the middle of what it joins. */
function place(
  lock: Lock,
  device: GroundOut['devices'][number],
  plates: Map<string, Plate>,
  width: number,
): void {
  const centres = device.interfaces
    .map((i) => (i.thing.segment ? plates.get(fold(i.thing.segment)) : undefined))
    .filter((p) => p !== undefined)
    .map((p) => p.x + p.w / 2)
  const mean = centres.length ? centres.reduce((a, b) => a + b, 0) / centres.length : width / 2
  const contour = Math.max(1, Math.round(mean / BAND)) * BAND
  lock.x =
    Math.min(Math.max(contour, lock.w / 2 + 4), Math.max(width - lock.w / 2 - 4, lock.w / 2 + 4)) - lock.w / 2
}

function coursesOf(device: GroundOut['devices'][number], lock: Lock, plates: Map<string, Plate>): Course[] {
  return device.interfaces.flatMap(({ id, thing }) => {
    const end = thing.segment ? plates.get(fold(thing.segment)) : undefined
    if (!end) return []
    const from = { x: lock.x + lock.w / 2, y: lock.y + lock.h / 2 }
    const to = { x: end.x + end.w / 2, y: end.y + end.h / 2 }
    const middle = (from.y + to.y) / 2
    const own = new Set([fold(thing.name), fold(thing.zone ?? thing.name)])
    const policies = (device.thing.policies ?? [])
      .filter((a) => [...(a.entering ?? []), ...(a.leaving ?? [])].some((n) => own.has(fold(n))))
      .map((a) => `${a.policy} (${a.stage ?? 'passage'})`)
    return [
      {
        id,
        lock: device.id,
        plate: end.id,
        path: `M${from.x},${from.y} C${from.x},${middle} ${to.x},${middle} ${to.x},${to.y}`,
        gate: policies.length ? gateOn(from, to, middle) : null,
        policies,
        title: [
          `${thing.name} of ${device.thing.name}`,
          thing.zone ? `zone ${thing.zone}` : 'no zone',
          ...(thing.addresses ?? []),
          ...policies,
        ].join('\n'),
      },
    ]
  })
}

/** A point on the curve of a course with its direction. */
function gateOn(a: { x: number; y: number }, d: { x: number; y: number }, middle: number) {
  const t = GATE_AT
  const u = 1 - t
  const x = a.x * (u * u * u + 3 * u * u * t) + d.x * (3 * u * t * t + t * t * t)
  const y = a.y * u * u * u + middle * (3 * u * u * t + 3 * u * t * t) + d.y * t * t * t
  const dx = 6 * u * t * (d.x - a.x)
  const dy = 3 * u * u * (middle - a.y) + 3 * t * t * (d.y - middle)
  return { x, y, angle: (Math.atan2(dy, dx) * 180) / Math.PI }
}

/** The boundary between two bands as a gentle wave from top to bottom. */
export function contour(x: number, height: number): string {
  const step = 140
  let path = `M${x},0`
  for (let y = 0, side = 1; y < height; y += step, side = -side)
    path += ` Q${x + 7 * side},${y + step / 2} ${x},${y + step}`
  return path
}

/** Waters deepen from paper to deep, by a share from 0 to 1; the last quarter of the scale is left to the lines. */
export function water(share: number): string {
  return `color-mix(in srgb, var(--depth-3) ${Math.round(share * 92)}%, var(--paper))`
}
