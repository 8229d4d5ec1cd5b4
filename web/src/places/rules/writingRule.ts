/** A rule being written: opened at its row or in a gap, kept through reload and somebody else's deletion, saved. */
import { computed, type Ref, watch } from 'vue'
import type { PolicyOut, Rule, RuleRow } from '@/api/client'
import { leftAt, leftUnder } from '@/editing/unsaved'
import type { useActs } from '@/places/rules/acts'
import type { Cursor, useMode, Writing } from '@/places/rules/mode'
import { dateOf } from '@/ui/dates'
import { gap, moveTo } from '@/places/rules/positions'

const WEEK_MS = 7 * 86_400_000

/** Where a form stood that was open when the page was last loaded; what was written in it is kept by the form. */
export interface WrittenWhere {
  index: number
  works: boolean
}

export const writtenAt = (network: number, policy: number | null, id: number | null | 'new' | '') =>
  `rule ${network} ${policy} ${id ?? 'new'}`

interface Options {
  network: Ref<number>
  policyId: Ref<number | null>
  policy: Ref<PolicyOut | undefined>
  rows: Ref<readonly RuleRow[]>
  selected: Ref<RuleRow | null>
  writable: Ref<boolean>
  mode: ReturnType<typeof useMode>
  acts: ReturnType<typeof useActs>
  go: (at: Cursor) => Promise<void>
  goBack: () => void
}

export function useWriting(options: Options) {
  const { network, policyId, policy, rows, selected, writable, acts, go, goBack } = options
  const { base, to, reset, writing, amend } = options.mode

  /** The rule that is being written, as it is now. */
  const written = computed(() => {
    const now = base.value
    return now.is === 'writing' ? (rows.value.find((row) => row.id === now.id) ?? null) : null
  })
  const writingPlace = computed(() => {
    const now = base.value
    if (now.is !== 'writing') return { after: null, before: null }
    return now.id === null ? gap(rows.value, now.index) : moveTo(rows.value, now.id, now.index + 1)
  })

  async function write(id: number | null, index: number, more: Partial<Writing> = {}): Promise<void> {
    if (writable.value) await to(writing({ id, index, ...more }))
  }
  async function close(): Promise<void> {
    if (await to({ is: 'looking' })) goBack()
  }
  async function save(rule: Rule, ver: number): Promise<void> {
    const now = base.value as Writing
    const id = await acts.save(now, rule, ver)
    if (base.value.is === 'writing' && base.value.stamp === now.stamp) reset()
    await go(id)
  }
  // Somebody deleted the rule that is being written: what is written can be added as a new one.
  watch(
    () =>
      base.value.is === 'writing' &&
      base.value.id !== null &&
      policy.value?.id === policyId.value &&
      !written.value,
    (gone) => gone && amend({ id: null, gone: true }),
  )
  /** What was being written here when the page was last loaded. */
  function resume(): void {
    const key = leftUnder(writtenAt(network.value, policyId.value, ''))
    const left =
      key === null ? null : leftAt<WrittenWhere>(writtenAt(network.value, policyId.value, key as ''))
    if (key === null || !left || !writable.value) return
    const id = key === 'new' ? null : Number(key)
    const there = id === null || acts.rowOf(id)
    reset(writing({ id, index: Math.min(left.index, rows.value.length), works: left.works }))
    if (!there) amend({ gone: true })
  }
  /** A copy right behind the original, to change one thing in. */
  function copy(row: RuleRow): void {
    void write(null, row.position, { rule: { ...row.rule, name: `${row.rule.name} copy` } })
  }
  /** A member for a while is a rule of its own beside the first, with a last day: whom it is for is asked. */
  function lend(row: RuleRow): void {
    const until = new Date(Date.now() + WEEK_MS)
    const rule = {
      ...row.rule,
      name: `${row.rule.name} for a while`,
      source: [],
      until: dateOf(until),
      accepted: [],
    }
    void write(null, row.position, { rule, beside: row.rule.name })
  }
  /**
   * A new rule right before the row in focus, or after the last rule when the default is. Where it `works`: if another rule
   * would take some of it there, it moves up to the lowest place where none does.
   */
  function addHere(works: boolean): void {
    void write(null, selected.value ? selected.value.position - 1 : rows.value.length, { works })
  }
  return { written, writingPlace, write, close, save, resume, copy, lend, addHere }
}
