/** What the edit in hand would do: told beside it, and to the pinned questions, until it is another's turn. */
import { computed, onBeforeUnmount, watch } from 'vue'
import type { Consequence, Edit } from '@/api/client'
import { type Asking, useConsequence } from '@/editing/consequence'
import { usePins } from '@/frame/pins'
import { baseOf, type Mode } from '@/places/rules/mode'

interface Options {
  edit: () => Edit | null
  mode: () => Mode
  at: () => { policy: number | null; revision: number }
  send: (asking: Asking, edit: Edit, signal: AbortSignal) => Promise<Consequence>
}

/** Modes whose edit is about to be made; in the others one only looks at what would be. */
const MEANT: readonly Mode['is'][] = ['carrying', 'deleting', 'writing']

export function useInHand({ edit, mode, at, send }: Options) {
  const pins = usePins()
  const { told, stale, failure, about } = useConsequence('rules', send)
  const inHand = computed(edit)
  const form = computed(() => {
    const base = baseOf(mode())
    return `${mode().is} ${base.is === 'writing' ? base.stamp : ''}`
  })
  watch(
    [form, () => JSON.stringify([inHand.value, at()])],
    ([now], [before]) => {
      const { is } = mode()
      // The edit in hand ends with its form: what was told of one is never shown at the next.
      if (now !== before) void about(null)
      const { policy } = at()
      pins.inHand =
        inHand.value && policy !== null && MEANT.includes(is) ? { policy, edit: inHand.value } : null
      if (inHand.value || is !== 'writing') void about(inHand.value)
    },
    { immediate: true },
  )
  onBeforeUnmount(() => (pins.inHand = null))
  /** What is told, if it is told of this. */
  const toldOf = (is: Mode['is']) => (mode().is === is ? told.value : null)
  return { toldOf, stale, failure }
}
