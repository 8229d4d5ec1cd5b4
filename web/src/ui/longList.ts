/** A long list of which only what is in sight is drawn: its lines, where they stand, and how keys walk it. */
import { defaultRangeExtractor, useVirtualizer } from '@tanstack/vue-virtual'
import { computed, nextTick, ref, watch } from 'vue'
import type { Key } from '@/ui/keys'

interface Options<L> {
  lines: () => readonly L[]
  /** Of a line, and where it stands, if that is all that tells it from others. */
  key: (line: L, index: number) => string | number
  height: (line: L) => number
  /** Lines that stay drawn wherever the list is scrolled to, such as the one that has the focus: what leaves the page loses it. */
  keep?: () => readonly number[]
  overscan?: number
}

/** Each line is drawn with `data-line` set to its key, and takes the focus there. */
export function useLongList<L>({ lines, key, height, keep = () => [], overscan = 5 }: Options<L>) {
  const scroller = ref<HTMLElement>()
  // Made once: a new function would have every line measured again.
  const getItemKey = (index: number) => {
    const line = lines()[index]
    return line === undefined ? index : key(line, index)
  }
  const estimateSize = (index: number) => {
    const line = lines()[index]
    return line === undefined ? 0 : height(line)
  }
  const getScrollElement = () => scroller.value ?? null
  const virtual = useVirtualizer(
    computed(() => {
      const count = lines().length
      const kept = keep().filter((at) => at >= 0 && at < count)
      return {
        count,
        overscan,
        getScrollElement,
        getItemKey,
        estimateSize,
        rangeExtractor: (range: Parameters<typeof defaultRangeExtractor>[0]) =>
          [...new Set([...defaultRangeExtractor(range), ...kept])].sort((a, b) => a - b),
      }
    }),
  )
  watch(lines, () => virtual.value.measure())

  const drawn = computed(() =>
    virtual.value
      .getVirtualItems()
      .filter((item) => item.index < lines().length)
      .map((item) => ({
        index: item.index,
        key: item.key as string | number,
        line: lines()[item.index]!,
        style: { transform: `translateY(${item.start}px)`, height: `${item.size}px` },
      })),
  )
  const total = computed(() => virtual.value.getTotalSize())
  /** The first and last line that are in sight. */
  const range = computed(() => {
    void virtual.value.getVirtualItems()
    const { startIndex = 0, endIndex = lines().length - 1 } = virtual.value.range ?? {}
    return { from: startIndex, to: endIndex }
  })

  /** Where a line begins, in pixels from the first; the end of the list for those behind it. */
  function topOf(index: number): number {
    return virtual.value.measurementsCache[index]?.start ?? virtual.value.getTotalSize()
  }
  /** The line at a height, and whether the height is in its lower half. */
  function at(offset: number): { index: number; below: boolean } | null {
    const item = virtual.value.getVirtualItemForOffset(offset)
    return item ? { index: item.index, below: offset > item.start + item.size / 2 } : null
  }
  function show(index: number, align: 'auto' | 'center' = 'auto'): void {
    if (index >= 0) virtual.value.scrollToIndex(index, { align })
  }
  /** A line takes the focus, and comes into sight. */
  async function focus(index: number, scroll = true): Promise<void> {
    const line = lines()[index]
    if (line === undefined) return
    if (scroll) show(index)
    await nextTick()
    requestAnimationFrame(() =>
      scroller.value
        ?.querySelector<HTMLElement>(`[data-line="${CSS.escape(String(key(line, index)))}"]`)
        ?.focus({ preventScroll: true }),
    )
  }

  return { scroller, drawn, total, range, topOf, at, show, focus }
}

/** The keys that walk a list: by one, by a page, to its ends. */
export function walkKeys(
  says: string,
  list: {
    count: () => number
    at: () => number
    go: (index: number) => unknown
    when: () => boolean
    page?: number
  },
): Key[] {
  const { at, when, page = 10 } = list
  const to = (index: number) => list.go(Math.min(Math.max(index, 0), list.count() - 1))
  return [
    {
      on: ['ArrowDown'],
      shows: ['ArrowUp', 'ArrowDown'],
      says: `the ${says} above, below`,
      when,
      act: () => to(at() + 1),
    },
    { on: ['ArrowUp'], when, act: () => to(at() - 1) },
    { on: ['PageDown'], when, act: () => to(at() + page) },
    { on: ['PageUp'], when, act: () => to(at() - page) },
    { on: ['Home'], shows: ['Home', 'End'], says: 'the first, the last', when, act: () => to(0) },
    { on: ['End'], when, act: () => to(list.count() - 1) },
  ]
}
