/** A rule while it is being written. */
import type { KnownService, NameOut, ProblemOut, Rule, Shapes } from '@/api/client'

export type Field = 'source' | 'destination' | 'service'
export type Action = Rule['action']
export type RejectKind = NonNullable<Rule['reject_with']>
export type State = Shapes['Rule']['states'] extends (infer S)[] | undefined ? S : never

export const FIELDS: readonly Field[] = ['source', 'destination', 'service']
export const LABEL: Record<Field, string> = { source: 'From', destination: 'To', service: 'Service' }
export const STATES: readonly State[] = ['new', 'established', 'related', 'invalid']

export type Draft = Required<Omit<Rule, 'action' | 'reject_with' | 'schedule'>> & {
  /** Nothing, until somebody chooses. */
  action: Action | ''
  reject_with: RejectKind | null
  schedule: string | null
}

/** A new rule. What it does is for its writer to say. */
export function blank(): Draft {
  return {
    name: '',
    action: '',
    source: [],
    destination: [],
    service: [],
    negate: [],
    states: [],
    schedule: null,
    until: '',
    owner: '',
    reject_with: null,
    log: false,
    enabled: true,
    kept: false,
    description: '',
    accepted: [],
  }
}

/** A copy without Vue's proxies, which structuredClone refuses. */
function plain(draft: Draft): Draft {
  return JSON.parse(JSON.stringify(draft)) as Draft
}

export function draftOf(rule: Rule): Draft {
  return plain({
    ...blank(),
    ...rule,
    reject_with: rule.reject_with ?? null,
    schedule: rule.schedule ?? null,
  })
}

/** The draft as a rule: an answer only where it rejects. Until an action is chosen it is one that drops. */
export function ruleOf(draft: Draft): Rule {
  const copy = plain(draft)
  return {
    ...copy,
    action: copy.action || 'drop',
    name: copy.name.trim(),
    reject_with: copy.action === 'reject' ? (copy.reject_with ?? 'prohibited') : null,
  }
}

/** Enough is written to ask what it would decide. */
export function complete(draft: Draft): boolean {
  return draft.action !== '' && FIELDS.every((field) => draft[field].length > 0)
}

/** A field as it is called in a sentence. */
export function wordOf(key: keyof Draft): string {
  if (key === 'enabled') return 'active'
  if (key === 'kept') return 'stays when tidied'
  if (key === 'description') return 'why'
  return key in LABEL ? LABEL[key as Field].toLowerCase() : key.replace('_', ' ')
}

/** The problems of one field, in order. */
export function problemsAt(problems: readonly ProblemOut[], field: string): string[] {
  return problems.filter((p) => p.path.includes(field)).map((p) => p.message)
}

export type Problems = Record<Field | 'name' | 'action' | 'schedule' | 'until', string[]>

/** What is wrong, by field; what is only not there yet is told once somebody has `tried` to save. */
export function problemsOf(draft: Draft, problems: readonly ProblemOut[], tried: boolean): Problems {
  const all = [...FIELDS, 'name', 'action', 'schedule', 'until'] as const
  const at = Object.fromEntries(all.map((f) => [f, problemsAt(problems, f)])) as Problems
  for (const field of FIELDS)
    if (tried && !draft[field].length) at[field] = ['Name at least one; everything is written any.']
  if (tried && !draft.action) at.action = ['Choose what it does: allow, drop or reject.']
  if (!draft.name.trim()) at.name = tried ? ['A rule needs a name.'] : []
  return at
}

/** The names that a field takes. */
const fittingIn = (names: readonly NameOut[], field: Field) =>
  names.filter((n) => (n.kind === 'service') === (field === 'service'))

/** Whether what is typed is a value of its own, such as udp/53 or 10.44.0.0/16: it is meant as it stands. */
export function isRaw(text: string, field: Field): boolean {
  const typed = text.trim()
  if (field === 'service') return /^[a-z0-9]+\/\d|^(tcp|udp|sctp|dccp|icmp6?)( from .*)?$/i.test(typed)
  return /^\d+\.[\d.]*\d|^[\da-f]*:[\da-f:]*/i.test(typed)
}

/** A typed value that stands for exactly what one name stands for becomes that name. */
export function recognise(text: string, names: readonly NameOut[], field: Field): string {
  const typed = text.trim()
  const fitting = fittingIn(names, field)
  const same = fitting.find((n) => n.name.toLowerCase() === typed.toLowerCase())
  if (same) return same.name
  const worth = fitting.filter(
    (n) => n.more === 0 && n.values.length === 1 && n.values[0] === typed.toLowerCase(),
  )
  return worth.length === 1 ? worth[0]!.name : typed
}

/** Well-known services the network has no name for yet, neither by name nor by what it stands for. */
export function offersFor(known: readonly KnownService[], names: readonly NameOut[]): KnownService[] {
  const own = names.filter((n) => n.kind === 'service')
  const worth = (values: readonly string[]) => [...values].sort().join()
  return known.filter(
    (k) =>
      !own.some((n) => n.name.toLowerCase() === k.name || (!n.more && worth(n.values) === worth(k.members))),
  )
}

/** The network's own services that share something with well-known ones, the nearest first: what is called otherwise here is found
 *  before anything new is offered. */
export function ownAmong(known: readonly KnownService[], names: readonly NameOut[]): NameOut[] {
  const wanted = known.map((k) => new Set(k.members))
  const far = (n: NameOut) =>
    Math.min(
      ...wanted.map((members, rank) => {
        const shared = n.values.filter((v) => members.has(v)).length
        return shared ? rank * 1000 + n.more + n.values.length + members.size - 2 * shared : Infinity
      }),
    )
  return names
    .filter((n) => n.kind === 'service')
    .map((n) => [far(n), n] as const)
    .filter(([distance]) => distance < Infinity)
    .sort((a, b) => a[0] - b[0])
    .map(([, n]) => n)
}

/** Whether what is typed could be the name of something that is not there yet. */
export function couldBeName(text: string, field: Field, names: readonly NameOut[]): boolean {
  const typed = text.trim()
  if (!/^[a-z][\w .-]*$/i.test(typed) || typed.toLowerCase() === 'any' || isRaw(typed, field)) return false
  const fitting = fittingIn(names, field)
  return !fitting.some((n) => n.name.toLowerCase() === typed.toLowerCase())
}

/** Names that fit what is typed: by name, by any part of it, by value or by description. */
export function suggest(names: readonly NameOut[], field: Field, typed: string): NameOut[] {
  const word = typed.trim().toLowerCase()
  const fitting = fittingIn(names, field)
  if (!word) return fitting
  const rank = (n: NameOut) => {
    const name = n.name.toLowerCase()
    if (name.startsWith(word)) return 0
    if (name.includes(word)) return 1
    return `${n.values.join(' ')} ${n.description}`.toLowerCase().includes(word) ? 2 : 3
  }
  return fitting
    .map((n) => [rank(n), n] as const)
    .filter(([r]) => r < 3)
    .sort((a, b) => a[0] - b[0] || a[1].name.length - b[1].name.length)
    .map(([, n]) => n)
}
