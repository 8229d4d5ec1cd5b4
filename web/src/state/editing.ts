/** Something being edited that others may save meanwhile: their changes come in, what is written here stays. */
import { computed, reactive, ref, watch } from 'vue'
import { Problem, type ProblemOut } from '@/api/client'
import { merge } from '@/logic/merge'

export function useEditing<T extends object>(read: () => T, ver: () => number | undefined) {
  const draft = reactive(read()) as T
  const base = ref({ thing: read(), ver: ver() ?? 0 }) as { value: { thing: T; ver: number } }
  const problems = ref<ProblemOut[]>([])
  const failure = ref('')
  const meanwhile = ref('')
  const busy = ref(false)
  const dirty = computed(() => JSON.stringify(draft) !== JSON.stringify(base.value.thing))

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

  return { draft, base, problems, failure, meanwhile, busy, dirty, act, kept }
}
