/** The words on the screen: short, concrete, in the network's own names. */
import type { Decided, PolicyLine, Shapes } from '@/api/client'

type Advice = Shapes['AdviceOut']
type Ref = Shapes['RuleRef']
type Attachment = Shapes['AttachmentOut']

const FEW = 3

export function listed(words: readonly string[], few = FEW): string {
  const more = words.length - few
  return words.slice(0, few).join(', ') + (more > 0 ? ` and ${more} more` : '')
}

export function ruleRef(ref: Ref): string {
  return ref.position === null || ref.position === undefined ? 'otherwise' : `${ref.position}`
}

function refs(by: readonly Ref[], count: number): string {
  const more = count - Math.min(by.length, FEW)
  return by.slice(0, FEW).map(ruleRef).join(', ') + (more > 0 ? ` and ${more} more` : '')
}

export function places(low: number, high: number): string {
  return low >= high ? `${high}` : `${low}–${high}`
}

/** Where a rule would work: `Works at 1–3.` */
export function works(advice: Pick<Advice, 'all_until' | 'some_until'>): string {
  if (advice.all_until >= advice.some_until) return `Works at ${places(1, advice.some_until)}.`
  return `Works at ${places(1, advice.all_until)}, in part at ${places(advice.all_until + 1, advice.some_until)}.`
}

/** The line under a rule that is not all it seems; empty for a rule that decides all it matches. */
export function decidesLine(d: Decided): string {
  const takes = d.by_count === 1 ? 'takes' : 'take'
  if (d.decides === 'pending') return ''
  if (d.decides === 'undecided') return 'Undecided: the work limit was hit.'
  if (d.kind === 'shadowed') return `${refs(d.by, d.by_count)} ${takes} all of it.`
  if (d.kind === 'redundant' && d.cause === 'earlier')
    return `${refs(d.by, d.by_count)} already ${d.by_count === 1 ? 'does' : 'do'} the same.`
  if (d.kind === 'redundant') return `Without it ${refs(d.by, d.by_count)} would do the same.`
  if (d.decides === 'none') return 'It matches no packet.'
  if (d.decides === 'part') return `${refs(d.by, d.by_count)} ${takes} a part.`
  return ''
}

/** What the list itself cannot tell of a rule: when, and where. */
const BEYOND: Record<string, string> = {
  expired: 'It will never be active again.',
  'out of place': 'Its packets never come by here.',
  'dead where attached': 'Earlier policies take all that it would decide.',
}

type Told = Decided & {
  rule: { enabled?: boolean }
  findings: readonly { kind: string; accepted?: unknown }[]
}

/** The finding about a rule that no other rule of the list explains, in a few words. */
export function beyond(row: Told): { kind: string; text: string } | null {
  if (row.kind !== null || row.rule.enabled === false) return null
  const found = row.findings.find((f) => f.kind in BEYOND && !f.accepted)
  return found ? { kind: found.kind, text: BEYOND[found.kind]! } : null
}

/** Whether a row says more than that it decides all it matches. */
export function saysMore(row: Told): boolean {
  if (row.rule.enabled === false || row.decides === 'pending') return false
  return row.decides !== 'all' || row.kind !== null || beyond(row) !== null
}

/** What a rule decides, in one sentence, for the editor and the drag panel. */
export function decidesSentence(d: Decided, position: number): string {
  if (d.decides === 'all') return `At ${position} it decides all of what it matches.`
  if (d.decides === 'part') return `At ${position} it decides a part: ${decidesBy(d)} the rest.`
  if (d.decides === 'pending') return 'What it decides is being worked out.'
  if (d.decides === 'undecided') return `At ${position} it is undecided: the work limit was hit.`
  if (!d.by.length) return 'It matches no packet.'
  return `At ${position} it decides nothing: ${decidesBy(d)} all of it.`
}

function decidesBy(d: Decided): string {
  const earlier = d.cause === 'later' ? 'an earlier rule' : d.by.slice(0, FEW).map(refName).join(', ')
  const more = d.cause === 'later' ? 0 : d.by_count - Math.min(FEW, d.by.length)
  return `${earlier}${more > 0 ? ` and ${more} more` : ''} ${d.by_count === 1 ? 'takes' : 'take'}`
}

function refName(ref: Ref): string {
  return ref.position === null || ref.position === undefined ? 'otherwise' : `${ref.position} ${ref.name}`
}

export function attachment(a: Attachment): string {
  if (a.device === null) return `at hosts, ${a.stage}: ${listed(a.entering)}`
  const scope = (side: readonly string[]) =>
    side.length === 1 && side[0] === 'any' ? 'any' : listed(side, 2)
  if (a.stage === 'passage') return `${a.device} · passage, ${scope(a.entering)} → ${scope(a.leaving)}`
  if (a.stage === 'outbound') return `${a.device} · outbound at ${scope(a.leaving)}`
  if (a.stage === 'from the device') return `${a.device} · from the device by ${scope(a.leaving)}`
  return `${a.device} · ${a.stage}${a.stage === 'inbound' ? ` at ${scope(a.entering)}` : ` from ${scope(a.entering)}`}`
}

const DEFAULT_WORDS = {
  allow: 'allowed',
  drop: 'dropped',
  reject: 'rejected',
  continue: 'left to the next policy',
} as const

export function otherwise(policy: Pick<PolicyLine, 'default'>): string {
  return DEFAULT_WORDS[policy.default]
}

/** A name as a question writes it: in quotes where it needs them. */
export function quoted(name: string): string {
  return /^[A-Za-z][\w.-]*$/.test(name) ? name : `"${name}"`
}

/** Where the word begins that a question ends in; a name in quotes is one word. */
export function wordStart(question: string): number {
  const words = [...question.matchAll(/"[^"]*"?|\S+/g)]
  const last = words.at(-1)
  return last && last.index + last[0].length === question.length ? last.index : question.length
}

/** `1,234`. */
/** A sentence about what must hold, as it is written and read: who must, or must not, reach whom, on what, when. */
export function mustSentence(
  source: string | readonly string[],
  must: boolean,
  destination: string | readonly string[],
  services: readonly string[] = [],
  at = '',
): string {
  const party = (name: string) => {
    const bare = name.replace(/ itself$/, '')
    return /^[\w.:/-]+$/.test(bare) ? bare : `"${bare}"`
  }
  const side = (names: string | readonly string[]) => [names].flat().map(party).join(', ')
  const on = services.length && !services.includes('any') ? ` on ${services.join(', ')}` : ''
  return `${side(source)} must ${must ? '' : 'not '}reach ${side(destination)}${on}${at ? ` at ${at}` : ''}`
}

export const figure = (number: number) => number.toLocaleString('en')

/** `1 edit`, `2 edits`, `1,234 entries`. */
export function counted(number: number, word: string): string {
  const many = word.replace(/([^aeiou])y$/, '$1ie')
  return `${figure(number)} ${number === 1 ? word : `${many}s`}`
}

/** The question about one flow of another question, on the same suppositions and of the same version. */
export function aboutOne(flow: string, question: string): string {
  const supposed = question.match(/\s+(without|entering)\s+("[^"]*"|\S+)/gi) ?? []
  const version = question.match(/\s+as\s+of\s+.*$/i)?.[0] ?? ''
  return [flow, ...supposed, version].join('')
}

/** A question about the network at hand: from a segment to a host that rules speak of, on a service that they name. */
export function exampleOf(names: readonly { name: string; kind: string; uses: number }[]): string {
  const most = (...kinds: string[]) =>
    names.filter((n) => kinds.includes(n.kind)).sort((a, b) => b.uses - a.uses)
  const from = most('segment')[0]
  const to = most('host').find((n) => n.uses) ?? most('segment')[1]
  const service = most('service')[0]?.name ?? 'https'
  return from && to
    ? `${quoted(from.name)} to ${quoted(to.name)} on ${quoted(service)}`
    : 'WHO to WHOM on SERVICE'
}
