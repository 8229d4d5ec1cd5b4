/** Places in an ordered list, counted from 1 as on the screen: place p is right before the row now p-th. */
import type { PlaceIn } from '@/api/client'

interface Row {
  id: number
}

/** The neighbours of a gap: index 0 is before the first row, `rows.length` after the last. */
export function gap(rows: readonly Row[], index: number): PlaceIn {
  return { after: rows[index - 1]?.id ?? null, before: rows[index]?.id ?? null }
}

/** The neighbours a row gets when it is moved so that it ends up at place `target` (from 1). */
export function moveTo(rows: readonly Row[], id: number, target: number): PlaceIn {
  const others = rows.filter((row) => row.id !== id)
  return gap(others, Math.min(Math.max(target - 1, 0), others.length))
}

/** Where a row ends up (from 1) when it is dropped into a gap of the list it still stands in. */
export function placeOfGap(rows: readonly Row[], id: number, index: number): number {
  const own = rows.findIndex((row) => row.id === id)
  return own !== -1 && own < index ? index : index + 1
}

/** The rows as they will be once the move is saved. */
export function moved<T extends Row>(rows: readonly T[], id: number, target: number): T[] {
  const row = rows.find((r) => r.id === id)
  const others = rows.filter((r) => r.id !== id)
  return row ? [...others.slice(0, target - 1), row, ...others.slice(target - 1)] : [...rows]
}
