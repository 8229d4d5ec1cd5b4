/** Something being edited that others may save meanwhile: their changes come in, what is written here stays. */
import { computed, onMounted, reactive, ref, watch } from 'vue'
import { Problem, type ProblemOut } from '@/api/client'
import { merge } from '@/editing/merge'
import { leftAt, useUnsaved } from '@/editing/unsaved'

interface Kept<T> {
  draft: T
  base: { thing: T; ver: number }
}

interface Options<T> {
  /** What is there now. */
  read: () => T
  ver: () => number | undefined
  /** Where what is written is kept until it is saved. */
  place: () => string
  /** Somebody has deleted it: all that is written is new. */
  gone?: () => boolean
  /** What is kept besides, for whoever opens the form again. */
  also?: () => object
  /** What of the draft counts: two that have this alike are the same. */
  plain?: (draft: T) => unknown
  /** How a field is called where it is told of. */
  word?: (field: keyof T) => string
}

/** A value as it is told in a sentence. */
function inWords(value: unknown): string {
  if (typeof value === 'boolean') return value ? 'on' : 'off'
  if (Array.isArray(value) && value.every((v) => typeof v === 'string')) return `“${value.join(', ')}”`
  if (value === null || value === undefined || value === '') return 'nothing'
  return typeof value === 'object' ? 'something else' : `“${String(value)}”`
}

export function useEditing<T extends object>({
  read,
  ver,
  place,
  gone = () => false,
  also = () => ({}),
  plain = (draft) => draft,
  word = (field) => String(field).replace('_', ' '),
}: Options<T>) {
  const left = leftAt<Kept<T>>(place())
  const draft = reactive(left?.draft ?? read()) as T
  const base = ref(left?.base ?? { thing: read(), ver: ver() ?? 0 }) as { value: Kept<T>['base'] }
  const problems = ref<ProblemOut[]>([])
  const failure = ref('')
  const lost = ref(false)
  const meanwhile = ref('')
  const busy = ref(false)
  const dirty = computed(
    () => gone() || JSON.stringify(plain(draft)) !== JSON.stringify(plain(base.value.thing)),
  )
  /** What is written was written before the page was loaded. */
  const resumed = computed(() => left !== null && dirty.value)

  useUnsaved(
    place,
    () => dirty.value,
    () => ({ draft, base: base.value, ...also() }),
  )
  onMounted(meet)

  // What stands against it stands against what was written then.
  let against = ''
  watch(
    () => JSON.stringify(draft),
    (now) => {
      if (now === against) return
      problems.value = []
      failure.value = ''
    },
  )
  /** A lost answer is no lost edit: what is there now may be what was written. */
  const told = computed(() =>
    failure.value && lost.value && !dirty.value
      ? 'It was saved all the same; only the answer was lost.'
      : failure.value,
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
    const set = clashes.map((field) => `${word(field)} to ${inWords(theirs[field])}`)
    meanwhile.value = [
      'It was changed by somebody else meanwhile.',
      ...(taken.length ? [`Taken in: ${taken.map(word).join(', ')}.`] : []),
      ...(set.length ? [`They set ${set.join('; ')}. Saving replaces that by what you wrote.`] : []),
    ].join(' ')
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
      against = JSON.stringify(draft)
      lost.value = error.status === 0
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

  return { draft, base, resumed, problems, failure: told, meanwhile, busy, dirty, act, kept }
}
