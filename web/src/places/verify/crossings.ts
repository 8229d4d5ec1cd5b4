/** The crossing chart: sources run across, destinations up, by depth; where something works the line turns. */
import type { GroundOut, Shapes } from '@/api/client'

export type Cell = Shapes['CellOut']
export type PairChange = Shapes['PairChangeOut']
export interface Line {
  name: string
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
}

const fold = (name: string) => name.toLowerCase()
export const keyOf = (row: number, column: number) => `${row} ${column}`

/** Segments from the outermost to the deepest, in the order of the ground within a depth; devices after them, as destinations.
 *  only: what is at neither end of a change is left out. */
export function crossingsOf(
  ground: GroundOut,
  told: readonly Cell[],
  changed: readonly PairChange[] = [],
  only = false,
): Crossings {
  const touched = new Set(
    changed.flatMap((c) => [`false ${fold(c.source)}`, `${c.itself} ${fold(c.destination)}`]),
  )
  const stays = (line: Line) => !only || touched.has(`${line.itself} ${fold(line.name)}`)
  const depths = [...new Set(ground.zones.map((z) => z.thing.depth ?? 0))].sort((a, b) => a - b)
  const zoneOf = (segment: string) =>
    ground.devices
      .flatMap((d) => d.interfaces)
      .find((i) => i.thing.zone && fold(i.thing.segment ?? '') === fold(segment))?.thing.zone ?? ''
  const depthOf = (zone: string) => {
    const found = ground.zones.find((z) => fold(z.thing.name) === fold(zone))
    return found ? depths.indexOf(found.thing.depth ?? 0) / Math.max(1, depths.length - 1) : null
  }
  const rows = ground.segments
    .map(({ thing }): Line => {
      const zone = zoneOf(thing.name)
      return { name: thing.name, itself: false, zone, depth: depthOf(zone) }
    })
    .filter(stays)
    .sort((a, b) => (a.depth ?? 2) - (b.depth ?? 2))
  const itself = ground.devices
    .map(({ thing }): Line => ({ name: thing.name, itself: true, zone: '', depth: null }))
    .filter(stays)
  const columns = [...rows, ...itself]
  const place = new Map(columns.map((line, at) => [`${line.itself} ${fold(line.name)}`, at]))
  const placed = <Pair extends Cell | PairChange>(pairs: readonly Pair[]) => {
    const out = new Map<string, Pair>()
    for (const pair of pairs) {
      const row = place.get(`false ${fold(pair.source)}`)
      const column = place.get(`${pair.itself} ${fold(pair.destination)}`)
      if (row !== undefined && column !== undefined) out.set(keyOf(row, column), pair)
    }
    return out
  }
  return { rows, columns, bands: bandsOf(rows), cells: placed(told), changes: placed(changed) }
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
  ]
  return parts.filter(Boolean).join('; ')
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

/** How the line turns: all, some, by some ways only, or nobody knows. */
export function turnOf(cell: Cell): 'all' | 'some' | 'ways' | 'unknown' {
  if (cell.verdict === 'all') return 'all'
  if (cell.services.length) return 'some'
  return cell.by_some_ways.length ? 'ways' : 'unknown'
}

/** How many services, where that can be counted: words that leave some out of everything are not. */
export function countOf(cell: Cell): string {
  const words = cell.services
  if (cell.verdict === 'all' || !words.length || words.some((w) => /^any\b/.test(w))) return ''
  return String(words.length + cell.more)
}
