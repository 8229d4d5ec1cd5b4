/** The server's clock, which counts; ours only tells how long ago it said what it said. */
import { computed, onBeforeUnmount, type Ref, ref } from 'vue'

const TICK_MS = 500

/** Milliseconds since 1970, as the server has them. */
export function useServerClock(said: Ref<string | undefined>): Ref<number> {
  const offset = computed(() => (said.value === undefined ? 0 : Date.parse(said.value) - Date.now()))
  const now = ref(Date.now())
  const clock = setInterval(() => (now.value = Date.now()), TICK_MS)
  onBeforeUnmount(() => clearInterval(clock))
  return computed(() => now.value + offset.value)
}
