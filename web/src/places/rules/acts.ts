/** What is done to the rules of one policy: one edit after the other, each about the rules as they are when its turn comes. */
import { type Ref, ref } from 'vue'
import { Problem, type Rule, type RuleRow, type Shapes } from '@/api/client'
import type { useEdits } from '@/api/policies'
import type { Cursor, Naming, Writing } from '@/places/rules/mode'
import { gap, moveTo } from '@/places/rules/positions'
import { type Draft, draftOf, type Field, ruleOf } from '@/places/rules/ruleDraft'
import type { Section } from '@/places/rules/lines'
import { inTurn } from '@/ui/turn'

export type Together = Shapes['ManyRules']['act']
/** What an act on several rules is about, besides them. */
export type More = Partial<Pick<Shapes['ManyRules'], 'field' | 'member' | 'by' | 'says'>>
const NOTHING = { place: null, field: null, member: null, by: null, says: null } as const

interface Options {
  edits: ReturnType<typeof useEdits>
  rows: Ref<readonly RuleRow[]>
  /** Several rules that are chosen, in order. */
  together: Ref<readonly RuleRow[]>
  writable: Ref<boolean>
  /** The row takes the focus. */
  focus: (at: Cursor) => unknown
}

export function useActs({ edits, rows, together, writable, focus }: Options) {
  /** What was refused last, for everybody to see. */
  const notice = ref('')
  const rowOf = (id: number) => rows.value.find((row) => row.id === id)

  function inOrder(act: () => Promise<unknown>): Promise<void> {
    return inTurn(async () => {
      try {
        notice.value = ''
        await act()
      } catch (error) {
        notice.value = error instanceof Problem ? error.detail : String(error)
        edits.refresh()
      }
    })
  }

  /** Write another form of a rule. */
  function rewrite(id: number, change: (rule: Draft) => void): Promise<void> {
    return inOrder(async () => {
      const row = rowOf(id)
      if (!row) return
      const rule = draftOf(row.rule)
      change(rule)
      await edits.change.mutateAsync({ id, ver: row.ver, rule: ruleOf(rule) })
    })
  }
  const toggle = (id: number) => rewrite(id, (rule) => (rule.enabled = !rule.enabled))
  const mark = (id: number) => rewrite(id, (rule) => (rule.kept = true))
  const takeOff = (id: number, field: Field, members: readonly string[]) =>
    rewrite(id, (rule) => (rule[field] = rule[field].filter((m) => !members.includes(m))))

  /** Put a rule at a place that is worked out from where it is when its turn comes. */
  function placed(id: number, to: (position: number) => number): Promise<void> {
    return inOrder(async () => {
      const row = rowOf(id)
      if (!row || !writable.value) return
      const place = Math.min(Math.max(to(row.position), 1), rows.value.length)
      if (row.position === place) return
      await edits.move.mutateAsync({ id, ver: row.ver, place: moveTo(rows.value, id, place) })
      focus(id)
    })
  }
  const move = (id: number, place: number) => placed(id, () => place)
  const moveBy = (id: number, steps: number) => placed(id, (position) => position + steps)

  function remove(id: number): Promise<void> {
    return inOrder(async () => {
      const row = rowOf(id)
      if (!row) return
      const next = rows.value[row.position] ?? rows.value[row.position - 2]
      await edits.remove.mutateAsync({ id: row.id, ver: row.ver })
      focus(next?.id ?? 'otherwise')
    })
  }

  /** Deleted, proven once more by the server in the same step to change nothing. */
  function tidy(rules: number[], into: number[] = [], merge = false): Promise<void> {
    return inOrder(() => edits.tidy.mutateAsync({ rules, into, merge }))
  }

  const versions = () => together.value.map((row) => [row.id, row.ver] as [number, number])

  function many(act: Together, more: More = {}): Promise<void> {
    return inOrder(() => edits.many.mutateAsync({ ...NOTHING, rules: versions(), act, ...more }))
  }

  /** All that are chosen to before the rule that is at a place when their turn comes. */
  function moveMany(to: () => number): Promise<void> {
    return inOrder(() => {
      const place = to()
      const moving = new Set(together.value.map((row) => row.id))
      const others = rows.value.filter((row) => !moving.has(row.id))
      const at = others.findIndex((row) => row.position >= place)
      return edits.many.mutateAsync({
        ...NOTHING,
        rules: versions(),
        act: 'move',
        place: gap(others, at < 0 ? others.length : at),
      })
    })
  }

  /** Save what is written; what is refused is for its form to tell. */
  async function save(now: Writing, rule: Rule, ver: number): Promise<number | null> {
    if (now.id === null) {
      const place = gap(rows.value, now.index)
      return (await inTurn(() => edits.add.mutateAsync({ rule, place }))).rule_id ?? null
    }
    const id = now.id
    // The version that was read when writing began, not the newest: what somebody saved since is not overwritten.
    await inTurn(() => {
      const stays = rowOf(id)?.position === now.index + 1
      return edits.change.mutateAsync({
        id,
        ver,
        rule,
        place: stays ? null : moveTo(rows.value, id, now.index + 1),
      })
    }).catch((error) => {
      if (error instanceof Problem && [404, 409].includes(error.status)) edits.refresh()
      throw error
    })
    return id
  }

  function nameSection(now: Naming): Promise<unknown> {
    return now.id === null
      ? edits.addSection.mutateAsync({ name: now.name, before: now.before })
      : edits.renameSection.mutateAsync({
          id: now.id,
          ver: now.ver,
          name: now.name,
          description: now.description,
        })
  }
  function dropSection(section: Section): Promise<void> {
    return inOrder(() => edits.deleteSection.mutateAsync({ id: section.id, ver: section.ver }))
  }

  return {
    notice,
    rowOf,
    toggle,
    mark,
    takeOff,
    move,
    moveBy,
    remove,
    tidy,
    many,
    moveMany,
    save,
    nameSection,
    dropSection,
  }
}
