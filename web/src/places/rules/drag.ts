/** Carrying a row by pointer: starts after a few pixels, tells the gap under the pointer, ends on release. */
import { onBeforeUnmount } from 'vue'

const SLACK_PX = 4
const EDGE_PX = 36
const SCROLL_PX = 14

interface Options {
  /** The scrolling element. */
  list: () => HTMLElement | undefined
  /** The gap (0 … rows) that lies at a height within the scrolled content. */
  gapAt: (offset: number) => number
  /** It is lifted; false if it may not be. */
  lift: (id: number, gap: number) => boolean
  hold: (gap: number) => void
  drop: () => void
  back: () => void
}

export function useDrag({ list, gapAt, lift, hold, drop, back }: Options) {
  let held: { id: number; x: number; y: number } | null = null
  let lifted = false
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

  function gap(): number {
    const element = list()
    return element ? gapAt(pointerY - element.getBoundingClientRect().top + element.scrollTop) : 0
  }

  function move(event: PointerEvent): void {
    if (!held) return
    pointerY = event.clientY
    if (lifted) return hold(gap())
    if (Math.hypot(event.clientX - held.x, event.clientY - held.y) < SLACK_PX) return
    lifted = lift(held.id, gap())
    if (lifted) frame = requestAnimationFrame(scroll)
    else end()
  }

  /** Near an edge the list scrolls by itself, so a rule can be carried further than the screen shows. */
  function scroll(): void {
    const element = list()
    if (!lifted || !element) return
    const { top, bottom } = element.getBoundingClientRect()
    const before = element.scrollTop
    if (pointerY < top + EDGE_PX) element.scrollTop -= SCROLL_PX
    else if (pointerY > bottom - EDGE_PX) element.scrollTop += SCROLL_PX
    if (element.scrollTop !== before) hold(gap())
    frame = requestAnimationFrame(scroll)
  }

  function end(): boolean {
    const was = lifted
    held = null
    lifted = false
    cancelAnimationFrame(frame)
    window.removeEventListener('pointermove', move)
    window.removeEventListener('pointerup', release)
    window.removeEventListener('pointercancel', cancel)
    window.removeEventListener('keydown', escape, true)
    return was
  }

  function release(): void {
    if (end()) drop()
  }

  function cancel(): void {
    if (end()) back()
  }

  function escape(event: KeyboardEvent): void {
    if (event.key !== 'Escape') return
    event.preventDefault()
    event.stopPropagation()
    cancel()
  }

  onBeforeUnmount(end)
  return { grip }
}
