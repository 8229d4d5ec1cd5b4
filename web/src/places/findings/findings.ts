/** The list of findings: which there are, a choice of them in groups, and what can be done about one. */
import type { Edit, PlacedFinding, RuleRow } from '@/api/client'
import { moveTo } from '@/places/rules/positions'
import { draftOf, ruleOf } from '@/places/rules/ruleDraft'
import { read } from '@/ui/searchLine'
import { listed } from '@/words'

export type Weight = PlacedFinding['weight']
export type By = 'weight' | 'policy' | 'kind'
/** Of those that count, those that are new, or those that somebody accepts. */
export type Which = 'open' | 'fresh' | 'accepted'

export interface Choice {
  which: Which
  kind: string
  weight: Weight | ''
  word: string
}
export interface Head {
  head: string
  count: number
}
export type Line = Head | PlacedFinding

export const isHead = (line: Line): line is Head => 'head' in line

/** Kinds with their counts, in the order in which they first occur: the heaviest first. */
export function kindsOf(findings: readonly PlacedFinding[]): [string, number][] {
  const counts = new Map<string, number>()
  for (const f of findings) counts.set(f.kind, (counts.get(f.kind) ?? 0) + 1)
  return [...counts]
}

export function of(findings: readonly PlacedFinding[], which: Which): PlacedFinding[] {
  return findings.filter((f) =>
    which === 'accepted' ? f.accepted : !f.accepted && (which === 'open' || f.fresh),
  )
}

export const KEYS = ['kind', 'policy', 'rule', 'name', 'weight'] as const

export function sifted(findings: readonly PlacedFinding[], choice: Choice): PlacedFinding[] {
  const { words, asked, problems } = read(choice.word, KEYS)
  if (problems.length) return []
  const sought = words.toLowerCase().split(/\s+/)
  const says = (f: PlacedFinding, key: (typeof KEYS)[number]) =>
    (f[key] ?? '').toLowerCase().includes((asked[key] ?? '').toLowerCase())
  return of(findings, choice.which).filter(
    (f) =>
      (!choice.kind || f.kind === choice.kind) &&
      (!choice.weight || f.weight === choice.weight) &&
      KEYS.every((key) => says(f, key)) &&
      sought.every((word) => textOf(f).includes(word)),
  )
}

const textOf = (f: PlacedFinding) => [f.kind, f.policy, f.rule, f.name, f.text].join(' ').toLowerCase()

const HEADS: Record<Weight, string> = { error: 'Errors', warning: 'Warnings', note: 'Notes' }

/** In groups, each with its head, in the order in which they first occur; by weight there are none but the weights. */
export function grouped(findings: readonly PlacedFinding[], by: By): Line[] {
  const groups = new Map<string, PlacedFinding[]>()
  for (const f of findings) {
    const head =
      by === 'weight' ? HEADS[f.weight] : by === 'kind' ? f.kind : (f.policy ?? 'names and the ground')
    groups.set(head, [...(groups.get(head) ?? []), f])
  }
  return [...groups].flatMap(([head, some]) => [{ head, count: some.length }, ...some])
}

/** Something that mends it: in words, as an edit to look at, and whether the server proves once more that nothing changes. */
export interface Repair {
  says: string
  edit: Edit
  proven: boolean
}

/** What can be done about a rule, from the list: it is taken out, put where it works, or members of it are taken off. */
export function repairsOf(found: PlacedFinding, row: RuleRow, rows: readonly RuleRow[]): Repair[] {
  const out: Repair[] = []
  const { rule, id } = row
  if (found.field && found.members.length && found.members.length < rule[found.field].length) {
    const less = draftOf(rule)
    less[found.field] = less[found.field].filter((member) => !found.members.includes(member))
    out.push({
      says: `Take ${listed(found.members)} off its ${found.field}`,
      edit: { act: 'write', rule_key: id, rule: ruleOf(less), place: null },
      proven: false,
    })
  }
  if (found.kind !== row.kind && found.kind !== 'empty') return out
  // What changes nothing comes first.
  if (rule.enabled && !rule.kept)
    out.push({ says: 'Delete it', edit: { act: 'delete', rules: [id] }, proven: true })
  if (row.works)
    out.push({
      says: `Move it to ${row.works.best}, where it works`,
      edit: { act: 'move', rules: [id], place: moveTo(rows, id, row.works.best) },
      proven: false,
    })
  return out
}
