/** The keys of the rules. They are those of the place, not of a row: whatever has the focus, they do this. */
import type { Desk } from '@/places/rules/desk'
import { useKeys } from '@/ui/keys'
import { walkKeys } from '@/ui/longList'

/** `askDelete`: ask about all that are chosen. */
export function useRuleKeys(desk: Desk, askDelete: () => unknown): void {
  const { mode, base, rows, shown, selected, cursor, acts } = desk

  // Not while a rule is written: a letter that misses its field must not do anything to the list.
  const may = () => !('under' in mode.value) && base.value.is !== 'writing' && desk.policy.value !== undefined
  const mayWrite = () => may() && desk.writable.value
  const several = () => mayWrite() && base.value.is === 'several'
  const one = () => mayWrite() && selected.value !== null
  const row = () => selected.value!

  const at = () =>
    selected.value
      ? shown.value.findIndex((r) => r.id === cursor.value)
      : cursor.value === 'otherwise'
        ? shown.value.length
        : -1
  const to = (index: number) => desk.go(shown.value[index]?.id ?? 'otherwise')
  function stretch(index: number): void {
    const next = shown.value[index]
    if (!next) return
    desk.pickRule(next.id, 'range')
    void desk.go(next.id)
  }

  useKeys('In the list of rules', [
    ...walkKeys('rule', { count: () => shown.value.length + 1, at, go: to, when: may }),
    { on: ['f'], says: 'find', when: may, act: () => desk.find(true) },
    {
      on: ['Shift+ArrowDown'],
      shows: ['Shift+ArrowDown', ' '],
      says: 'choose several',
      when: may,
      act: () => stretch(at() + 1),
    },
    { on: ['Shift+ArrowUp'], when: may, act: () => stretch(at() - 1) },
    { on: [' '], when: () => may() && selected.value !== null, act: () => desk.pickRule(row().id, 'toggle') },
    {
      on: ['Ctrl+a'],
      says: 'choose all',
      when: may,
      act: () => desk.several(new Set(shown.value.map((r) => r.id))),
    },
    { on: ['Escape'], says: 'choose none', when: may, act: desk.letGo },
    { on: ['t'], says: 'what could go: tidy', when: may, act: desk.toggleTidying },
  ])

  useKeys('Writing rules', [
    {
      on: ['Escape'],
      when: () => mode.value.is === 'writing',
      act: desk.close,
    },
    { on: ['n'], says: 'a new rule, where it works', when: mayWrite, act: () => desk.addHere(true) },
    { on: ['N'], says: 'a new rule, just here', when: mayWrite, act: () => desk.addHere(false) },
    {
      on: ['Enter'],
      says: 'edit the rule',
      when: one,
      act: () => desk.write(row().id, row().position - 1, { rule: row().rule }),
    },
    { on: ['c'], says: 'a copy of it', when: one, act: () => desk.copy(row()) },
    {
      on: ['x'],
      says: 'switch it off or on; all that are chosen',
      when: several,
      act: () => acts.many(desk.together.value.every((r) => r.rule.enabled) ? 'disable' : 'enable'),
    },
    { on: ['x'], when: one, act: () => acts.toggle(row().id) },
    { on: ['Delete'], says: 'delete it, or them', when: several, act: askDelete },
    { on: ['Delete'], when: one, act: () => desk.over({ is: 'deleting', row: row() }) },
    {
      on: ['m'],
      says: 'take it into the hand; arrows hold it, Enter puts it down',
      when: one,
      act: () => desk.lift(row().id, row().position - 1, true),
    },
    {
      on: ['Alt+ArrowUp'],
      shows: ['Alt+ArrowUp', 'Alt+ArrowDown'],
      says: 'move it, or them, by one',
      when: several,
      act: () => acts.moveMany(() => desk.together.value[0]!.position - 1),
    },
    {
      on: ['Alt+ArrowDown'],
      when: several,
      act: () => acts.moveMany(() => desk.together.value.at(-1)!.position + 2),
    },
    { on: ['Alt+ArrowUp'], when: one, act: () => acts.moveBy(row().id, -1) },
    { on: ['Alt+ArrowDown'], when: one, act: () => acts.moveBy(row().id, 1) },
    {
      on: ['Alt+Home'],
      shows: ['Alt+Home', 'Alt+End'],
      says: 'move it to the top, to the end',
      when: one,
      act: () => acts.move(row().id, 1),
    },
    { on: ['Alt+End'], when: one, act: () => acts.move(row().id, rows.value.length) },
    { on: ['s'], says: 'begin a section here', when: mayWrite, act: () => desk.nameSection(null) },
  ])

  // A rule in the hand: the arrows hold it somewhere else, Enter puts it down.
  const held = () => mode.value.is === 'carrying' && mode.value.byKeys
  const by = (steps: number) => () => desk.hold(desk.target.value + steps)
  useKeys('With a rule in the hand', [
    { on: ['ArrowDown'], when: held, act: by(1) },
    { on: ['ArrowUp'], when: held, act: by(-1) },
    { on: ['PageDown'], when: held, act: by(10) },
    { on: ['PageUp'], when: held, act: by(-10) },
    { on: ['Home'], when: held, act: () => desk.hold(1) },
    { on: ['End'], when: held, act: () => desk.hold(rows.value.length) },
    { on: ['Enter'], when: held, act: desk.drop },
    { on: ['Escape'], when: held, act: desk.back },
  ])
}
