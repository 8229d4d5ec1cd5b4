/** A rule carried to another place, by pointer or by keys: the gap it is held over, and where it would then stand. */
import { computed, type Ref, watch } from 'vue'
import type { RuleRow } from '@/api/client'
import { useDrag } from '@/places/rules/drag'
import type { Line } from '@/places/rules/lines'
import type { useMode } from '@/places/rules/mode'
import { placeOfGap } from '@/places/rules/positions'
import type { useLongList } from '@/ui/longList'

interface Options {
  rows: Ref<readonly RuleRow[]>
  list: ReturnType<typeof useLongList<Line>>
  mode: ReturnType<typeof useMode>
  /** Nothing is lifted otherwise: from a list that is sifted, or by whoever only reads. */
  liftable: () => boolean
  lineOf: (id: number | null) => number
  /** Let go at a place, counted from 1. */
  put: (id: number, place: number) => void
  /** The gap at a height within the scrolled list. */
  gapAt: (offset: number) => number
}

export function useLifting({
  rows,
  list,
  mode: { mode, over, back },
  liftable,
  lineOf,
  put,
  gapAt,
}: Options) {
  const carried = computed(() => {
    const now = mode.value
    return now.is === 'carrying' ? (rows.value.find((row) => row.id === now.id) ?? null) : null
  })
  const target = computed(() =>
    mode.value.is === 'carrying' ? placeOfGap(rows.value, mode.value.id, mode.value.gap) : 0,
  )

  function lift(id: number, gap: number, byKeys: boolean): boolean {
    if (!liftable() || 'under' in mode.value) return false
    over({ is: 'carrying', id, gap, byKeys })
    return true
  }
  function holdGap(gap: number): void {
    if (mode.value.is === 'carrying') mode.value = { ...mode.value, gap }
  }
  /** Held so that it would end up at a place, counted from 1. */
  function hold(place: number): void {
    const row = carried.value
    if (!row) return
    const at = Math.min(Math.max(place, 1), rows.value.length)
    const gap = at <= row.position ? at - 1 : at
    holdGap(gap)
    list.show(lineOf(rows.value[Math.min(gap, rows.value.length - 1)]?.id ?? null))
  }
  function drop(): void {
    const now = mode.value
    if (now.is !== 'carrying') return
    const place = placeOfGap(rows.value, now.id, now.gap)
    back()
    put(now.id, place)
  }
  const { grip } = useDrag({
    list: () => list.scroller.value,
    gapAt,
    lift: (id, gap) => lift(id, gap, false),
    hold: holdGap,
    drop,
    back,
  })
  // A rule that somebody deleted is in nobody's hand.
  watch(
    () => mode.value.is === 'carrying' && !carried.value,
    (lost) => lost && back(),
  )
  return { grip, lift, hold, drop, carried, target }
}
