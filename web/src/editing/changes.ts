/** What an edit would do, sorted for telling: what opens, what closes, what is done differently. */
import type { Shapes } from '@/api/client'
import { listed, ruleRef } from '@/words'

export type Consequence = Shapes['ConsequenceOut']
export type PolicyEffect = Shapes['PolicyEffect']
export type Change = Shapes['ChangeOut']
type Advice = Shapes['AdviceOut']
type Kind = Change['change']

interface Heading {
  kind: Kind
  word: string
  /** The hue of the line that stands beside it. */
  tone: 'allow' | 'drop' | 'reject' | 'undecided'
}

const HEADINGS: readonly Heading[] = [
  { kind: 'newly allowed', word: 'Opens', tone: 'allow' },
  { kind: 'newly blocked', word: 'Closes', tone: 'drop' },
  { kind: 'newly passed on', word: 'Leaves to the next policy', tone: 'undecided' },
  { kind: 'blocked differently', word: 'Blocks differently', tone: 'reject' },
  { kind: 'logged differently', word: 'Logs differently', tone: 'undecided' },
  { kind: 'translated differently', word: 'Translates differently', tone: 'undecided' },
  { kind: 'steered differently', word: 'Takes another way', tone: 'undecided' },
]

/** What lists of devices do: nothing of it opens or closes by itself. */
const OF_LISTS = new Set<Kind>(['translated differently', 'steered differently'])

export interface Group extends Heading {
  changes: Change[]
}

/** The changes of one policy by what they mean; opening and closing are always told, even as nothing. */
export function grouped(effect: PolicyEffect): Group[] {
  if (effect.equal) return []
  const whole = effect.complete && !effect.more
  return HEADINGS.map((heading, place) => ({
    ...heading,
    changes: effect.changes.filter((change) => change.change === heading.kind),
    told: whole && place < 2 && !effect.changes.some((change) => OF_LISTS.has(change.change)),
  })).filter((group) => group.changes.length || group.told)
}

/** `a except b → c : d`, and the states and moments where they are not all. */
export function sentence(change: Change): string {
  const states = change.states.length ? ` as ${change.states.join(', ')}` : ''
  const when = change.when ? ` ${change.when}` : ''
  return `${listed(change.source)} → ${listed(change.destination)} : ${listed(change.service)}${states}${when}`
}

type NetworkEffect = Shapes['NetworkEffectOut']
type NetworkChange = NetworkEffect['changes'][number]

const IN_NETWORK: Record<NetworkChange['change'], Pick<Heading, 'word' | 'tone'>> = {
  opens: { word: 'Opens', tone: 'allow' },
  closes: { word: 'Closes', tone: 'drop' },
  changes: { word: 'Changes', tone: 'undecided' },
}

/** The changes in the network by what they mean. */
export function inNetwork(effect: NetworkEffect) {
  return (['opens', 'closes', 'changes'] as const)
    .map((kind) => ({
      kind,
      ...IN_NETWORK[kind],
      changes: effect.changes.filter((change) => change.change === kind),
    }))
    .filter((group) => group.changes.length)
}

/** `a → b : c`, at which moments, and how it fares if that is more than a yes or a no. */
export function networkSentence(change: NetworkChange): string {
  const when = change.when ? ` ${change.when}` : ''
  const fares = change.fares ? `; ${change.fares}` : ''
  return `${listed(change.source)} → ${listed(change.destination)} : ${listed(change.service)}${when}${fares}`
}

/** What is to be said of the network besides its changes. */
export function networkWords(effect: NetworkEffect | null): string[] {
  if (!effect) return ['Being worked out…']
  const nobody = effect.equal ? ['Nobody reaches more or less than before.'] : []
  const rest = effect.changes.length ? 'The rest' : 'What it opens'
  const stops = effect.stops.length ? [`${rest} still ends ${listed(effect.stops)}.`] : []
  const open = effect.complete
    ? []
    : [effect.changes.length ? 'Exact so far; more may change.' : 'Not worked out yet: it touches too much.']
  return [...nobody, ...stops, ...open]
}

/** Who decides before and after, and what becomes of the log. */
export function deciders(change: Change): string {
  const name = (ref: Shapes['RuleRef']) => {
    if (ref.position !== null) return `${ruleRef(ref)} ${ref.name}`
    return ref.name === 'default' ? 'otherwise' : ref.name
  }
  const log =
    change.logged_before === change.logged_after
      ? ''
      : change.logged_after
        ? ' · logged'
        : ' · no longer logged'
  return `before: ${name(change.before)} · after: ${name(change.after)}${log}`
}

/** The warnings that an edit mends and brings, a line each way. */
export function comeAndGo(told: Pick<Consequence, 'come' | 'go'>): { text: string; comes: boolean }[] {
  const line = (word: string, found: readonly Shapes['FindingOut'][], comes: boolean) =>
    found.length ? [{ text: `${word} ${listed(found.map((f) => `${f.rule}: ${f.kind}`))}.`, comes }] : []
  return [...line('Mends', told.go, false), ...line('Brings', told.come, true)]
}

/** A consequence in lines, for where there is room for a few: what changes, and what it amounts to. */
export function inLines(told: Consequence, few = 4): string[] {
  if (told.problems.length) return told.problems.map((problem) => problem.message)
  const changes = told.policies.flatMap((policy) =>
    grouped(policy).flatMap((group) =>
      group.changes.map(
        (change) => `${group.word} ${sentence(change)}; ${deciders(change)} (${policy.name}).`,
      ),
    ),
  )
  const reaches = told.network
    ? inNetwork(told.network).flatMap((group) =>
        group.changes.map(
          (change) => `In the network: ${group.word.toLowerCase()} ${networkSentence(change)}.`,
        ),
      )
    : []
  const left = Math.max(0, changes.length - few) + Math.max(0, reaches.length - few)
  const more = left + told.policies.reduce((n, policy) => n + policy.more, told.network?.more ?? 0)
  const rest = more > 0 ? [`And ${more} more.`] : []
  const sum = verdict(told)
  const words = told.ground && (changes.length || reaches.length) ? networkWords(told.network) : []
  return [...changes.slice(0, few), ...reaches.slice(0, few), ...rest, ...words, ...(sum ? [sum] : [])]
}

/** What a consequence amounts to, in a few words: the same only if it is in the network, too. */
export function verdict(told: Consequence): string {
  if (told.policies.every((p) => p.equal)) {
    if (!told.ground || told.network?.equal) return 'Same effect, proven.'
    return told.network ? '' : 'Not known yet what changes in the network.'
  }
  if (told.policies.some((p) => !p.complete))
    return told.policies.some((p) => p.changes.length)
      ? 'Exact so far; more may change.'
      : 'Not settled yet what changes.'
  return ''
}

/** The runs of places at which a rule decides all, a part, or nothing of what it matches; places count from 1. */
export function runs(
  advice: Advice,
  places: number,
): { from: number; to: number; decides: 'all' | 'part' | 'none' }[] {
  const ends = [
    { decides: 'all' as const, to: Math.min(advice.all_until, places) },
    { decides: 'part' as const, to: Math.min(Math.max(advice.some_until, advice.all_until), places) },
    { decides: 'none' as const, to: places },
  ]
  let from = 1
  return ends.flatMap(({ decides, to }) => {
    const run = { from, to, decides }
    if (to < from) return []
    from = to + 1
    return [run]
  })
}

/** Which rules would decide nothing any more with this one at a place. */
export function starved(advice: Advice, place: number): string {
  const names = advice.starves.filter((s) => place <= s.until).map((s) => s.rule.name)
  if (!names.length) return ''
  return `Takes all that ${listed(names)} ${names.length === 1 ? 'decides' : 'decide'} now.`
}

/** Where it works, each run with what it would mean: `1–4 decides all · 5 a part · 6–23 nothing`. */
export function otherPlaces(advice: Advice, places: number): string {
  const words = { all: 'decides all', part: 'a part', none: 'nothing' }
  return runs(advice, places)
    .map((run) => `${run.from === run.to ? run.from : `${run.from}–${run.to}`} ${words[run.decides]}`)
    .join(' · ')
}
