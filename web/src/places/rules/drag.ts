/** Carrying a row by pointer: starts after a few pixels, tells the gap under the pointer, ends on release. */
import { onBeforeUnmount, ref } from 'vue'

const SLACK_PX = 4
const EDGE_PX = 36
const SCROLL_PX = 14

interface Options {
  /** The scrolling element. */
  list: () => HTMLElement | undefined
  /** The gap (0 … rows) that lies at a height within the scrolled content. */
  gapAt: (offset: number) => number
  drop: (id: number, gap: number) => void
}

export function useCarry(options: Options) {
  const carried = ref<number | null>(null)
  const gap = ref(0)
  /** Carried by keys: nothing follows the pointer, and it is put down by `put`. */
  const byKeys = ref(false)
  let held: { id: number; x: number; y: number } | null = null
  let pointerY = 0
  let frame = 0

  function grip(id: number, event: PointerEvent): void {
    if (event.button !== 0) return
    held = { id, x: event.clientX, y: event.clientY }
    window.addEventListener('pointermove', move)
    window.addEventListener('pointerup', release)
    window.addEventListener('pointercancel', cancel)
    window.addEventListener('keydown', escape, true)
  }

  function move(event: PointerEvent): void {
    if (!held) return
    pointerY = event.clientY
    if (carried.value === null) {
      if (Math.hypot(event.clientX - held.x, event.clientY - held.y) < SLACK_PX) return
      carried.value = held.id
      frame = requestAnimationFrame(scroll)
    }
    locate()
  }

  function locate(): void {
    const list = options.list()
    if (list) gap.value = options.gapAt(pointerY - list.getBoundingClientRect().top + list.scrollTop)
  }

  /** Near an edge the list scrolls by itself, so a rule can be carried further than the screen shows. */
  function scroll(): void {
    const list = options.list()
    if (carried.value === null || !list) return
    const { top, bottom } = list.getBoundingClientRect()
    const before = list.scrollTop
    if (pointerY < top + EDGE_PX) list.scrollTop -= SCROLL_PX
    else if (pointerY > bottom - EDGE_PX) list.scrollTop += SCROLL_PX
    if (list.scrollTop !== before) locate()
    frame = requestAnimationFrame(scroll)
  }

  /** Lift a row without a pointer. */
  function lift(id: number, at: number): void {
    cancel()
    byKeys.value = true
    carried.value = id
    gap.value = at
    window.addEventListener('keydown', escape, true)
  }

  function release(): void {
    const id = carried.value
    const at = gap.value
    cancel()
    if (id !== null) options.drop(id, at)
  }

  function escape(event: KeyboardEvent): void {
    if (event.key !== 'Escape') return
    event.preventDefault()
    event.stopPropagation()
    cancel()
  }

  function cancel(): void {
    held = null
    byKeys.value = false
    carried.value = null
    cancelAnimationFrame(frame)
    window.removeEventListener('pointermove', move)
    window.removeEventListener('pointerup', release)
    window.removeEventListener('pointercancel', cancel)
    window.removeEventListener('keydown', escape, true)
  }

  onBeforeUnmount(cancel)
  return { carried, gap, grip, byKeys, lift, put: release, back: cancel }
}
