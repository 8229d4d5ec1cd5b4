/** Finding rules in a list: by words, by address or port as written, by what they decide. */
import type { NameOut, RuleRow } from '@/api/client'
import { askedOf, read, type Sought, strangeOf } from '@/ui/searchLine'
import { meet, type Span, spanOf } from '@/places/rules/spans'

export type Sieve = '' | 'dead' | 'part' | 'off' | 'logged' | 'blocks'

export const SIEVES: readonly { value: Sieve; text: string }[] = [
  { value: '', text: 'all' },
  { value: 'dead', text: 'superfluous' },
  { value: 'part', text: 'decides a part' },
  { value: 'blocks', text: 'blocks' },
  { value: 'logged', text: 'logged' },
  { value: 'off', text: 'switched off' },
]

export const KEYS = ['from', 'to', 'on', 'action', 'decides', 'log', 'active', 'changed', 'by'] as const
export type Key = (typeof KEYS)[number]
/** What the server knows: what is spoken of, and who changed what. */
const ASKED = { from: 'source', to: 'destination', on: 'service', changed: 'changed', by: 'by' } as const
const CHOICES: Partial<Record<Key, readonly string[]>> = {
  action: ['allow', 'drop', 'reject'],
  decides: ['all', 'part', 'none', 'undecided'],
  log: ['yes', 'no'],
  active: ['yes', 'no'],
}

export interface Search extends Sought<Key> {
  /** Of it what the server is asked; nothing if it need not be. */
  server: Partial<Record<(typeof ASKED)[keyof typeof ASKED], string>> | null
}

/** A line typed into the finder, as it is meant. */
export function searchOf(text: string): Search {
  const found = read(text, KEYS)
  found.problems.push(...strangeOf(found, CHOICES))
  return { ...found, server: askedOf(found, ASKED) }
}

/** Whether a rule is as a search says of its action, what it decides, its log and whether it is active. */
export function isAs(row: RuleRow, { asked }: Pick<Search, 'asked'>): boolean {
  const yes = (on: boolean | undefined) => (on ? 'yes' : 'no')
  const own: Partial<Record<Key, string>> = {
    action: row.rule.action,
    decides: row.decides,
    log: yes(row.rule.log),
    active: yes(row.rule.enabled !== false),
  }
  return Object.entries(own).every(([key, value]) => {
    const wanted = asked[key as Key]?.toLowerCase()
    return wanted === undefined || value.startsWith(wanted)
  })
}

/**
 * Every word typed must occur in the rule: its texts, its members, or what its members stand for. An address or a
 * prefix fits where it holds, or lies in, an address of the rule; `any` says nothing about it.
 */
export function findRules(
  rows: readonly RuleRow[],
  names: readonly NameOut[],
  search: Pick<Search, 'words' | 'asked'>,
  sieve: Sieve,
): RuleRow[] {
  const words = search.words.toLowerCase().split(/\s+/).filter(Boolean)
  const values = new Map(
    names.map((n) => [key(n.name, n.kind === 'service'), n.values.join(' ').toLowerCase()]),
  )
  const sought = words.map((word) => [word, spanOf(word)] as const)
  const spans = sought.some(([, span]) => span) ? spansOf(names) : new Map<string, Span[]>()
  return rows.filter(
    (row) =>
      passes(row, sieve) &&
      isAs(row, search) &&
      sought.every(
        ([word, span]) => haystack(row, values).includes(word) || (span !== null && meets(row, span, spans)),
      ),
  )
}

function spansOf(names: readonly NameOut[]): Map<string, Span[]> {
  return new Map(
    names
      .filter((n) => n.kind !== 'service')
      .map((n) => [key(n.name, false), n.values.map(spanOf).filter((span) => span !== null)]),
  )
}

function meets(row: RuleRow, span: Span, spans: Map<string, Span[]>): boolean {
  return [...row.rule.source, ...row.rule.destination].some((member) => {
    const own = spanOf(member)
    return (spans.get(key(member, false)) ?? (own ? [own] : [])).some((other) => meet(span, other))
  })
}

function key(name: string, service: boolean): string {
  return `${service ? 's' : 'a'}/${name.toLowerCase()}`
}

function haystack(row: RuleRow, values: Map<string, string>): string {
  const { name, description, action, source, destination, service } = row.rule
  const meant = [
    ...[...source, ...destination].map((m) => values.get(key(m, false)) ?? ''),
    ...service.map((m) => values.get(key(m, true)) ?? ''),
  ]
  return [name, description ?? '', action, ...source, ...destination, ...service, ...meant]
    .join(' ')
    .toLowerCase()
}

function passes(row: RuleRow, sieve: Sieve): boolean {
  switch (sieve) {
    case 'dead':
      return row.rule.enabled !== false && (row.decides === 'none' || row.kind === 'redundant')
    case 'part':
      return row.decides === 'part'
    case 'off':
      return row.rule.enabled === false
    case 'logged':
      return row.rule.log === true
    case 'blocks':
      return row.rule.action !== 'allow'
    default:
      return true
  }
}
