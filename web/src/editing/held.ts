/** What is being edited stays in sight when somebody else has deleted it, as long as there is something written about it. */
import { computed, shallowRef, watch } from 'vue'
import { unsaved } from '@/editing/unsaved'

/** `now`: what is there; `at`: what one has chosen. */
export function useHeld<T>(now: () => T | null | undefined, at: () => unknown) {
  const last = shallowRef<T | null>(null)
  watch(
    [now, at],
    ([there, where], [, was]) => {
      if (there) last.value = there
      else if (where !== was || !unsaved()) last.value = null
    },
    { immediate: true, flush: 'sync' },
  )
  const shown = computed<T | null>(() => now() ?? last.value)
  const gone = computed(() => !now() && last.value !== null)
  return { shown, gone }
}
