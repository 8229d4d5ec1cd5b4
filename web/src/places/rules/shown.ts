/** What of a policy's rules is in sight: all in their sections, those that are not folded away, or those that are looked for. */
import { computed, type ComputedRef, type Ref, ref } from 'vue'
import type { PolicyOut, RuleRow } from '@/api/client'
import { useFound } from '@/api/policies'
import { findRules, searchOf, type Sieve, SIEVES } from '@/places/rules/find'
import { type Line, linesOf, type Section, sectionAt } from '@/places/rules/lines'
import { useAddress } from '@/ui/address'
import { misreadOf } from '@/ui/searchLine'

type Names = Parameters<typeof findRules>[1]

interface Options {
  network: Ref<number>
  revision: Ref<number>
  policy: Ref<PolicyOut | undefined>
  rows: Ref<readonly RuleRow[]>
  names: Ref<Names>
  /** Only the beginning of the list is here. */
  partial: Ref<boolean>
}

export function useShown({ network, revision, policy, rows, names, partial }: Options) {
  // Finding: the list shows what fits, positions stay those of the whole list; nothing is dragged meanwhile.
  const finding = ref(false)
  const text = ref('')
  const sieve = ref<Sieve>('')
  function lookFor(on: boolean): void {
    finding.value = on
    if (on) return
    text.value = ''
    sieve.value = ''
  }
  useAddress(
    'find',
    () => (finding.value ? `${sieve.value}:${text.value}` : undefined),
    (found) => {
      const at = found?.indexOf(':') ?? -1
      finding.value = found !== undefined
      sieve.value = SIEVES.find((s) => s.value === found?.slice(0, at))?.value ?? ''
      text.value = found?.slice(at + 1) ?? ''
    },
  )

  const search = computed(() => searchOf(text.value))
  const { data: found, error } = useFound(
    network,
    computed(() => policy.value?.id ?? null),
    revision,
    computed(() => (finding.value ? search.value.server : null)),
  )
  /** What is not understood of what is typed. */
  const misread = computed(() => misreadOf(search.value, error.value))
  function looked(): readonly RuleRow[] {
    if (misread.value.length) return []
    const fitting = findRules(rows.value, names.value, search.value, sieve.value)
    if (!search.value.server) return fitting
    const ids = new Set(found.value?.ids)
    return fitting.filter((row) => ids.has(row.id))
  }

  const folded = ref<ReadonlySet<number>>(new Set())
  function fold(section: Section): void {
    const next = new Set(folded.value)
    if (!next.delete(section.id)) next.add(section.id)
    folded.value = next
  }
  /** A rule's section is unfolded, if it was folded. */
  function unfold(row: RuleRow): void {
    const section = sectionAt(policy.value?.sections ?? [], row.position)
    if (section && folded.value.has(section.id)) fold(section)
  }

  const lines: ComputedRef<readonly Line[]> = computed(() => {
    if (!policy.value) return []
    const listed: Line[] = finding.value
      ? looked().map((row) => ({ kind: 'rule', row }))
      : linesOf(rows.value, policy.value.sections ?? [], folded.value)
    return partial.value ? listed : [...listed, { kind: 'otherwise' }]
  })
  /** The rules that are not folded away or sifted out, in order. */
  const shown = computed(() => lines.value.flatMap((line) => (line.kind === 'rule' ? [line.row] : [])))
  /** For each rule, counted from 0, its line; -1 where it is folded away. */
  const lineOfRule = computed(() => {
    const found = new Int32Array(rows.value.length).fill(-1)
    lines.value.forEach((line, at) => line.kind === 'rule' && (found[line.row.position - 1] = at))
    return found
  })

  return { finding, text, sieve, misread, lookFor, folded, fold, unfold, lines, shown, lineOfRule }
}
