/** Something being edited that others may save meanwhile: their changes come in, what is written here stays. */
import { computed, onMounted, reactive, ref, watch } from 'vue'
import { Problem, type ProblemOut } from '@/api/client'
import { merge } from '@/editing/merge'
import { leftAt, useUnsaved } from '@/editing/unsaved'

interface Kept<T> {
  draft: T
  base: { thing: T; ver: number }
}

/** `place`: where what is written is kept until it is saved. */
export function useEditing<T extends object>(
  read: () => T,
  ver: () => number | undefined,
  place: () => string,
) {
  const left = leftAt<Kept<T>>(place())
  const draft = reactive(left?.draft ?? read()) as T
  const base = ref(left?.base ?? { thing: read(), ver: ver() ?? 0 }) as { value: Kept<T>['base'] }
  /** What is written was written before the page was loaded. */
  const resumed = computed(() => left !== null && dirty.value)
  const problems = ref<ProblemOut[]>([])
  const failure = ref('')
  const meanwhile = ref('')
  const busy = ref(false)
  const dirty = computed(() => JSON.stringify(draft) !== JSON.stringify(base.value.thing))

  useUnsaved(
    place,
    () => dirty.value,
    (): Kept<T> => ({ draft, base: base.value }),
  )
  onMounted(meet)

  watch(
    () => draft,
    () => {
      problems.value = []
      failure.value = ''
    },
    { deep: true },
  )

  function meet(): void {
    const now = ver()
    if (busy.value || now === undefined || now === base.value.ver) return
    const theirs = read()
    const { merged, taken, clashes } = merge(base.value.thing, { ...draft }, theirs)
    const told = dirty.value && (taken.length || clashes.length)
    Object.assign(draft, merged)
    base.value = { thing: theirs, ver: now }
    if (!told) return
    meanwhile.value =
      'It was changed by somebody else meanwhile.' +
      (taken.length ? ` Taken in: ${taken.join(', ')}.` : '') +
      (clashes.length ? ` You both changed ${clashes.join(', ')}; saving keeps yours.` : '')
  }
  watch(ver, meet)

  /** Do it, and tell at its place what stands against it. */
  async function act(what: () => Promise<unknown>): Promise<void> {
    if (busy.value) return
    busy.value = true
    failure.value = ''
    try {
      await what()
      meanwhile.value = ''
    } catch (error) {
      if (!(error instanceof Problem)) throw error
      problems.value = error.problems
      failure.value = error.problems.length ? '' : error.detail
    } finally {
      busy.value = false
      meet()
    }
  }

  /** What is written is what is kept now, one version on. */
  function kept(): void {
    base.value = { thing: JSON.parse(JSON.stringify(draft)) as T, ver: base.value.ver + 1 }
  }

  return { draft, base, resumed, problems, failure, meanwhile, busy, dirty, act, kept }
}
