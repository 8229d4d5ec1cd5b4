/** What is being done in the list of rules: one thing at a time, and what edit of the policy that has in hand. */
import { computed, shallowRef } from 'vue'
import type { Edit, Rule, RuleRow } from '@/api/client'
import { mayLeave } from '@/editing/unsaved'
import { moveTo, placeOfGap } from '@/places/rules/positions'

/** The row that the keys are at: a rule's, the default's, none. */
export type Cursor = number | 'otherwise' | null

/** A rule being written: an existing one, or a new one (id null) for the gap at `index`. */
export interface Writing {
  is: 'writing'
  id: number | null
  index: number
  /** A new one is put where it works, as long as nobody chose its place. */
  works: boolean
  rule: Rule | null
  /** The rule beside which it is for somebody else, for a while. */
  beside: string
  /** One for each time that a form was opened. */
  stamp: number
  /** It was an existing rule, which somebody deleted meanwhile. */
  gone: boolean
  /** The edit as it is written now; none while it is not whole. */
  edit: Edit | null
}

/** A section that gets a name: a new one before a rule (or at the end), or one that has another. */
export interface Naming {
  id: number | null
  ver: number
  name: string
  description: string
  before: number | null
}

/** What the panel beside the list is about. */
export type Base =
  | { is: 'looking' }
  | { is: 'several'; picked: ReadonlySet<number>; edit: Edit | null }
  | { is: 'tidying' }
  | Writing

/** What is done on top of it for a moment, and then gives way to it again. */
export type Over =
  | { is: 'carrying'; id: number; gap: number; byKeys: boolean }
  | { is: 'deleting'; row: RuleRow }
  | { is: 'section'; naming: Naming }

export type Mode = Base | (Over & { under: Base })

export const baseOf = (mode: Mode): Base => ('under' in mode ? mode.under : mode)

/** The edit of the policy that a mode has in hand, which is told about before it is made. */
export function editInHand(mode: Mode, rows: readonly RuleRow[], cursor: Cursor): Edit | null {
  switch (mode.is) {
    case 'carrying': {
      const target = placeOfGap(rows, mode.id, mode.gap)
      return { act: 'move', rules: [mode.id], place: moveTo(rows, mode.id, target) }
    }
    case 'deleting':
      return { act: 'delete', rules: [mode.row.id] }
    case 'writing':
      return mode.edit
    case 'several':
      return (
        mode.edit ?? {
          act: 'delete',
          rules: rows.filter((row) => mode.picked.has(row.id)).map((row) => row.id),
        }
      )
    case 'looking': {
      const row = rows.find((row) => row.id === cursor)
      return row ? { act: 'switch', rules: [row.id], enabled: !row.rule.enabled } : null
    }
    case 'tidying':
    case 'section':
      return null
  }
}

export function useMode() {
  const mode = shallowRef<Mode>({ is: 'looking' })
  const base = computed(() => baseOf(mode.value))
  let stamp = 0

  function put(next: Base): void {
    mode.value = 'under' in mode.value ? { ...mode.value, under: next } : next
  }
  /** To another thing; whoever leaves something written is asked, and stays if they say so. */
  async function to(next: Base): Promise<boolean> {
    if (base.value.is === 'writing' && !(await mayLeave())) return false
    mode.value = next
    return true
  }
  /** The same without asking: what was written is saved, or gone with the policy it was for. */
  function reset(next: Base = { is: 'looking' }): void {
    mode.value = next
  }
  const writing = (of: Pick<Writing, 'id' | 'index'> & Partial<Writing>): Writing => ({
    is: 'writing',
    works: false,
    rule: null,
    beside: '',
    gone: false,
    edit: null,
    stamp: ++stamp,
    ...of,
  })
  /** Something changes of the rule that is being written. */
  function amend(change: Partial<Writing>): void {
    if (base.value.is === 'writing') put({ ...base.value, ...change })
  }
  /** These are chosen; fewer than two are none. */
  function several(picked: ReadonlySet<number>): void {
    put(picked.size > 1 ? { is: 'several', picked, edit: null } : { is: 'looking' })
  }
  /** What is about to be changed in all that are chosen. */
  function intend(edit: Edit | null): void {
    if (base.value.is === 'several') put({ ...base.value, edit })
  }
  function over(next: Over): void {
    mode.value = { ...next, under: base.value }
  }
  /** What is done on top has ended. */
  function back(): void {
    mode.value = base.value
  }
  return { mode, base, to, reset, writing, amend, several, intend, over, back }
}
