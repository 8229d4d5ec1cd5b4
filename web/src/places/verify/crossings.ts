/** The crossing chart: sources run across, destinations up, by depth; where something works the line turns. */
import type { GroundOut, Shapes } from '@/api/client'

export interface Cell extends Omit<Shapes['CellOut'], 'family' | 'at_times'> {
  family?: Shapes['CellOut']['family']
  at_times?: string
  /** Of folded zones: between how many pairs of segments something is told, and of how many. */
  of?: [number, number]
}
export type PairChange = Shapes['PairChangeOut']
export type Mention = Shapes['MentionOut']
export interface Line {
  name: string
  /** The segments it stands for: those of a folded zone, or the one. */
  members: string[]
  /** Of a device the line stands for itself. */
  itself: boolean
  zone: string
  /** From 0, the outermost, to 1; null if no device is on it. */
  depth: number | null
}
export interface Band {
  zone: string
  depth: number | null
  /** The first line of it, and how many there are. */
  from: number
  count: number
}
export interface Crossings {
  rows: Line[]
  columns: Line[]
  bands: Band[]
  /** By row and column; a pair that is not there does not work. */
  cells: Map<string, Cell>
  /** What the draft changes, by row and column. */
  changes: Map<string, PairChange>
  /** What must hold there, by row and column. */
  mentions: Map<string, Mention>
}

const fold = (name: string) => name.toLowerCase()
export const keyOf = (row: number, column: number) => `${row} ${column}`

export interface Shown {
  /** What is at neither end of a change is left out. */
  only?: boolean
  /** Pairs of which nothing is expected are left out, and what is at neither end of another. */
  expected?: boolean
  /** Zones that are one line each. */
  folded?: ReadonlySet<string>
}

/** Segments from the outermost to the deepest, zone by zone within a depth; devices after them, as destinations. */
export function crossingsOf(
  ground: GroundOut,
  told: readonly Cell[],
  changed: readonly PairChange[] = [],
  { only = false, expected = false, folded = new Set() }: Shown = {},
  mentioned: readonly Mention[] = [],
): Crossings {
  const endsOf = (pairs: readonly (PairChange | Mention)[]) =>
    new Set(pairs.flatMap((c) => [`false ${fold(c.source)}`, `${c.itself} ${fold(c.destination)}`]))
  const kept = [...(only ? [endsOf(changed)] : []), ...(expected ? [endsOf(mentioned)] : [])]
  const stays = (line: Line) => kept.every((ends) => ends.has(`${line.itself} ${fold(line.name)}`))
  const segments = segmentsOf(ground).filter(stays)
  const rows: Line[] = []
  for (const line of segments) {
    const last = rows.at(-1)
    if (!line.zone || !folded.has(line.zone)) rows.push(line)
    else if (last?.zone === line.zone) last.members.push(line.name)
    else rows.push({ ...line, members: [line.name] })
  }
  for (const line of rows) if (line.members.length > 1) line.name = `${line.zone} ×${line.members.length}`
  const itself = ground.devices
    .map(({ thing }): Line => ({
      name: thing.name,
      members: [thing.name],
      itself: true,
      zone: '',
      depth: null,
    }))
    .filter(stays)
  const columns = [...rows, ...itself]
  const place = new Map(
    columns.flatMap((line, at) => line.members.map((m) => [`${line.itself} ${fold(m)}`, at] as const)),
  )
  const placed = <Pair extends Cell | PairChange | Mention>(pairs: readonly Pair[]) => {
    const out = new Map<string, Pair[]>()
    for (const pair of pairs) {
      const row = place.get(`false ${fold(pair.source)}`)
      const column = place.get(`${pair.itself} ${fold(pair.destination)}`)
      if (row === undefined || column === undefined) continue
      const key = keyOf(row, column)
      out.set(key, [...(out.get(key) ?? []), pair])
    }
    return out
  }
  const all = ([key, cells]: [string, Cell[]]): [string, Cell] => {
    const [row, column] = key.split(' ').map(Number) as [number, number]
    const from = rows[row]!.members.length
    const pairs = from * columns[column]!.members.length - (row === column ? from : 0)
    return [key, pairs > 1 ? joined(cells, pairs) : cells[0]!]
  }
  const changes = [...placed(changed)].map(([key, some]): [string, PairChange] => [key, joinedChange(some)])
  const mentions = new Map(
    [...placed(mentioned)].map(([key, some]): [string, Mention] => [key, joinedMention(some)]),
  )
  const cells = [...placed(told)].filter(([key]) => !expected || mentions.has(key))
  return {
    rows,
    columns,
    bands: bandsOf(rows),
    cells: new Map(cells.map(all)),
    changes: new Map(changes),
    mentions,
  }
}

/** All segments with their zones, by depth, those of a zone together. */
export function segmentsOf(ground: GroundOut): Line[] {
  const depths = [...new Set(ground.zones.map((z) => z.thing.depth ?? 0))].sort((a, b) => a - b)
  const zones = new Map<string, string>()
  for (const { thing } of ground.devices.flatMap((d) => d.interfaces)) {
    const at = fold(thing.segment ?? '')
    if (thing.zone && at && !zones.has(at)) zones.set(at, thing.zone)
  }
  const zoneAt = new Map(ground.zones.map((z, at) => [fold(z.thing.name), at]))
  const depthOf = (zone: string) => {
    const found = ground.zones[zoneAt.get(fold(zone)) ?? -1]
    return found ? depths.indexOf(found.thing.depth ?? 0) / Math.max(1, depths.length - 1) : null
  }
  return ground.segments
    .map(({ thing }): Line => {
      const zone = zones.get(fold(thing.name)) ?? ''
      return { name: thing.name, members: [thing.name], itself: false, zone, depth: depthOf(zone) }
    })
    .sort(
      (a, b) =>
        (a.depth ?? 2) - (b.depth ?? 2) ||
        (zoneAt.get(fold(a.zone)) ?? Infinity) - (zoneAt.get(fold(b.zone)) ?? Infinity) ||
        0,
    )
}

const MOST_WORDS = 8
const LESS = ['some', 'undetermined', 'none'] as const
const kindOf = (cell: Cell) => (cell.verdict === 'all' ? 'some' : cell.verdict)

/** What is told of several pairs of segments, as of one. */
function joined(cells: readonly Cell[], pairs: number): Cell {
  const words = (of: (cell: Cell) => readonly string[]) => [...new Set(cells.flatMap(of))]
  const services = words((c) => c.services)
  const everything = cells.length === pairs && cells.every((c) => c.verdict === 'all')
  return {
    ...cells[0]!,
    verdict: everything ? 'all' : (LESS.find((v) => cells.some((c) => kindOf(c) === v)) ?? 'none'),
    services: services.slice(0, MOST_WORDS),
    more: Math.max(0, services.length - MOST_WORDS, ...cells.map((c) => c.more)),
    by_some_ways: words((c) => c.by_some_ways).slice(0, MOST_WORDS),
    undetermined: words((c) => c.undetermined).slice(0, MOST_WORDS),
    unanswered: words((c) => c.unanswered).slice(0, MOST_WORDS),
    family: cells.every((c) => c.family === cells[0]!.family) ? cells[0]!.family : null,
    at_times: cells.every((c) => c.at_times === cells[0]!.at_times) ? cells[0]!.at_times : '',
    of: [cells.length, pairs],
  }
}

function joinedChange(some: readonly PairChange[]): PairChange {
  const words = (of: (change: PairChange) => readonly string[]) => [...new Set(some.flatMap(of))]
  return {
    ...some[0]!,
    opens: words((c) => c.opens),
    closes: words((c) => c.closes),
    otherwise: words((c) => c.otherwise),
  }
}

function joinedMention(some: readonly Mention[]): Mention {
  const names = (of: (one: Mention) => readonly string[]) => [...new Set(some.flatMap(of))]
  return { ...some[0]!, names: names((m) => m.names), bad: names((m) => m.bad) }
}

/** What must hold of a pair, in words. */
export function mentionOf(mention: Mention): string {
  const holding = mention.names.filter((name) => !mention.bad.includes(name))
  const told = (names: readonly string[]) => names.map((name) => `“${name}”`).join(', ')
  return [
    mention.bad.length ? `does not hold, or nobody knows: ${told(mention.bad)}` : '',
    holding.length ? `must hold: ${told(holding)}` : '',
  ]
    .filter(Boolean)
    .join('; ')
}

/** Lines of one depth that follow each other, by the names of their zones. */
function bandsOf(rows: readonly Line[]): Band[] {
  const bands: Band[] = []
  rows.forEach((line, at) => {
    const last = bands.at(-1)
    if (last && last.depth === line.depth) {
      last.count++
      if (!last.zone.split(', ').includes(line.zone)) last.zone += `, ${line.zone}`
    } else bands.push({ zone: line.zone || 'on no device', depth: line.depth, from: at, count: 1 })
  })
  return bands
}

/** What works of a pair, in words. */
export function sentenceOf(cell: Cell): string {
  const more = cell.more ? ` and ${cell.more} more` : ''
  const parts = [
    cell.verdict === 'all' ? 'everything' : cell.services.length ? `${cell.services.join(', ')}${more}` : '',
    cell.by_some_ways.length ? `by some ways only ${cell.by_some_ways.join(', ')}` : '',
    cell.undetermined.length ? `nobody knows of ${cell.undetermined.join(', ')}` : '',
    cell.unanswered.length ? `arrives and is not answered: ${cell.unanswered.join(', ')}` : '',
  ]
  const words = parts.filter(Boolean).join('; ')
  const when = cell.at_times ? `, ${cell.at_times}` : ''
  const family = cell.family ? `, over IPv${cell.family} only` : ''
  const of = cell.of ? `between ${cell.of[0]} of ${cell.of[1]} pairs ` : ''
  return `${of}${words}${family}${when}`
}

/** What the draft changes of a pair, in words. */
export function changeOf(change: PairChange): string {
  const parts = [
    change.opens.length ? `opens ${change.opens.join(', ')}` : '',
    change.closes.length ? `closes ${change.closes.join(', ')}` : '',
    change.otherwise.length ? `makes ${change.otherwise.join(', ')} more or less sure` : '',
  ]
  return `the draft ${parts.filter(Boolean).join('; ')}`
}

/** How the line turns: all, some, by some ways only, nobody knows, or there and not back. */
export function turnOf(cell: Cell): 'all' | 'some' | 'ways' | 'unknown' | 'lost' {
  if (cell.verdict === 'all') return 'all'
  if (cell.services.length) return 'some'
  if (cell.by_some_ways.length) return 'ways'
  return cell.undetermined.length ? 'unknown' : 'lost'
}

/** How many services, where that can be counted: words that leave some out of everything are not. */
export function countOf(cell: Cell): string {
  const words = cell.services
  if (cell.verdict === 'all' || !words.length || words.some((w) => /^any\b/.test(w))) return ''
  return String(words.length + cell.more)
}

/** A line that turns towards its destination, within so much at each side. */
export const turnPath = (h: number) =>
  `M${-h},0 C${-h * 0.1},0 0,${-h * 0.1} 0,${-h + 1} M${-h * 0.35},${-h * 0.62} L0,${-h + 1} L${h * 0.35},${-h * 0.62}`
