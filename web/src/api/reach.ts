/** Whether the server can be reached: told at once on the whole page, and tried again by itself. */
import { ref } from 'vue'

const AGAIN_MS = 2000

export const reachable = ref(true)
let timer = 0

export function answered(): void {
  reachable.value = true
  clearTimeout(timer)
  timer = 0
}

export function unanswered(): void {
  reachable.value = false
  if (!timer) timer = window.setTimeout(again, AGAIN_MS)
}

async function again(): Promise<void> {
  timer = 0
  await fetch('/api/health', { cache: 'no-store' }).then(answered, unanswered)
}

/** The machine itself knows when its last connection goes. */
export function watchConnection(): void {
  window.addEventListener('offline', unanswered)
  window.addEventListener('online', () => void again())
}
