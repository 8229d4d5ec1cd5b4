/** Things as the server tells them, for tests: each with nothing odd about it but what a test says. */
import type { Consequence, Decided, NameOut, Rule, RuleRow, Shapes } from '@/api/client'
import { blank } from '@/places/rules/ruleDraft'

export const decided = (part: Partial<Decided>): Decided => ({
  decides: 'all',
  kind: null,
  cause: null,
  by: [],
  by_count: 0,
  taken: null,
  witness: null,
  exception_of: [],
  works: null,
  ...part,
})

export const name = (part: Partial<NameOut>): NameOut => ({
  name: 'x',
  kind: 'host',
  members: [],
  values: [],
  more: 0,
  description: '',
  id: 1,
  uses: 1,
  same: [],
  nearly: [],
  ...part,
})

export const names = [
  name({ name: 'ramp-plc', values: ['10.44.30.10', 'fd00:44:30::10'] }),
  name({ name: 'ramp-hmi', values: ['10.44.30.20'] }),
  name({ name: 'twin-a', values: ['10.44.30.21'] }),
  name({ name: 'twin-b', values: ['10.44.30.21'] }),
  name({ name: 'ntp', kind: 'service', values: ['udp/123'], description: 'time' }),
]

export const rule = (part: Partial<Rule> = {}): Rule => ({
  ...blank(),
  name: 'pilots',
  action: 'allow',
  source: ['pilots'],
  destination: ['ramp-hmi'],
  service: ['https'],
  ...part,
})

/** Row `position` of a list; its id is ten times that. */
export const row = (position: number, part: Partial<RuleRow> = {}): RuleRow => ({
  ...decided({}),
  id: position * 10,
  ver: 1,
  position,
  rule: rule({ name: `r${position}` }),
  findings: [],
  ...part,
})

/** A rule as others name it; null for the default. */
export const ref = (position: number | null, name = `r${position}`) => ({ id: position, name, position })
export const change = (part: Partial<Shapes['ChangeOut']> = {}): Shapes['ChangeOut'] => ({
  change: 'newly allowed',
  source: ['a'],
  destination: ['b'],
  service: ['https'],
  states: [],
  when: '',
  before: ref(2),
  after: ref(1),
  logged_before: false,
  logged_after: false,
  witness: { text: '', question: '' },
  ...part,
})
export const policyEffect = (part: Partial<Shapes['PolicyEffect']> = {}): Shapes['PolicyEffect'] => ({
  policy_id: 1,
  name: 'p',
  equal: false,
  complete: true,
  changes: [change()],
  more: 0,
  ...part,
})
export const networkEffect = (
  part: Partial<Shapes['NetworkEffectOut']> = {},
): Shapes['NetworkEffectOut'] => ({ equal: true, complete: true, changes: [], more: 0, stops: [], ...part })
export const consequence = (part: Partial<Consequence> = {}): Consequence => ({
  generation: 1,
  revision: 1,
  problems: [],
  policies: [policyEffect()],
  network: null,
  expectations: null,
  ground: false,
  look: null,
  come: [],
  go: [],
  ...part,
})
export type LookOut = Shapes['LookOut']
