/** A second policy beside the one that is open: which of its rules are here as well, and its rules carried here by hand. */
import { computed, type Ref, ref, watch } from 'vue'
import type { NetworkOut, Rule, RuleRow } from '@/api/client'
import { isLong, usePolicy } from '@/api/policies'
import { swapped } from '@/places/rules/lines'
import { useDrag } from '@/places/rules/drag'
import type { Writing } from '@/places/rules/mode'
import { draftOf, FIELDS, ruleOf } from '@/places/rules/ruleDraft'
import { useAddress } from '@/ui/address'

/** A rule here that matches the same: as it stands there, or with its ends swapped. */
export interface Like {
  row: RuleRow
  swapped: boolean
  /** It does the same, too. */
  alike: boolean
}

/** By what a rule matches, whatever the order of its members and their case. */
function matchOf(rule: Rule): string {
  const fields = FIELDS.map((field) => [
    (rule.negate ?? []).includes(field),
    rule[field].map((member) => member.toLowerCase()).sort(),
  ])
  return JSON.stringify([fields, [...(rule.states ?? [])].sort(), rule.schedule ?? '', rule.until ?? ''])
}
const doing = (rule: Rule) => JSON.stringify([rule.action, rule.reject_with ?? '', rule.log ?? false])

/** For each of some rules the first of others that matches the same. */
export function likes(rows: readonly RuleRow[], others: readonly RuleRow[]): Map<number, Like> {
  const here = new Map<string, RuleRow>()
  for (const row of [...others].reverse()) here.set(matchOf(row.rule), row)
  const found = new Map<number, Like>()
  for (const { id, rule } of rows)
    for (const swap of [false, true]) {
      const row = here.get(matchOf(swap ? ruleOf(swapped(draftOf(rule))) : rule))
      if (row && !found.has(id)) found.set(id, { row, swapped: swap, alike: doing(row.rule) === doing(rule) })
    }
  return found
}

interface Options {
  network: Ref<number>
  revision: Ref<number>
  policyId: Ref<number | null>
  whole: Ref<NetworkOut | undefined>
  rows: Ref<readonly RuleRow[]>
  /** The scrolled list, and the gap at a height in it. */
  list: () => HTMLElement | undefined
  gapAt: (offset: number) => number
  liftable: () => boolean
  write: (id: null, index: number, more: Partial<Writing>) => Promise<void>
  amend: (change: Partial<Writing>) => void
  close: () => Promise<void>
}

export function useBeside(options: Options) {
  const { network, revision, policyId, whole, rows, list, gapAt, liftable, write, amend, close } = options
  const other = ref<number | null>(null)
  const swap = ref(false)
  useAddress(
    'beside',
    () => (other.value === null ? undefined : String(other.value)),
    (found) => (other.value = found === undefined ? null : Number(found)),
  )
  // A policy does not stand beside itself.
  watch(policyId, (id) => id === other.value && (other.value = null))
  const line = computed(() => whole.value?.policies.find((p) => p.id === other.value))
  const { data } = usePolicy(
    network,
    other,
    revision,
    computed(() => isLong(line.value)),
  )
  const its = computed(() => (other.value === null ? [] : (data.value?.rows ?? [])))
  const like = computed(() => likes(its.value, rows.value))

  /** As a rule of this policy. */
  function asHere(row: RuleRow): Rule {
    const copied = { ...draftOf(row.rule), accepted: [] }
    return ruleOf(swap.value ? swapped(copied) : copied)
  }
  /** Written like a new rule, before a row or where it works. */
  function bring(row: RuleRow, before: number | null): void {
    void write(null, before ?? rows.value.length, { rule: asHere(row), works: before === null })
  }
  // What it would do here is told while the hand holds it.
  const { grip } = useDrag({
    list,
    gapAt,
    lift: (id, gap) => {
      const row = its.value.find((one) => one.id === id)
      if (!row || !liftable()) return false
      bring(row, gap)
      return true
    },
    hold: (gap) => amend({ index: gap }),
    drop: () => undefined,
    back: () => void close(),
  })
  return { other, swap, line, its, like, bring, grip }
}
