/** The ground in words and forms: what can be written of each kind of thing, and how it is listed. */
import type { GroundOut, Shapes } from '@/api/client'
import { listed } from '@/words'

export type ListKind = 'destination-translations' | 'source-translations' | 'steering'
export type Kind =
  'zones' | 'segments' | 'hosts' | 'devices' | 'interfaces' | ListKind | 'policies' | 'at-hosts'
/** The lists a device has beside its policies, in the order in which a packet meets them. */
export const LISTS: readonly {
  kind: ListKind
  field: 'translate_destination' | 'steering' | 'translate_source'
  head: string
}[] = [
  { kind: 'destination-translations', field: 'translate_destination', head: 'Destinations translated' },
  { kind: 'steering', field: 'steering', head: 'Steered' },
  { kind: 'source-translations', field: 'translate_source', head: 'Sources translated' },
]

/** One thing of the ground, whatever its kind. */
export interface Item {
  kind: Kind
  id: number
  ver: number
  name: string
  detail: string
  thing: Record<string, unknown>
  parent: number
  level: number
}

/** `half`: two stand side by side. `empty`, `untold`: it may say nothing, which is told as null; `untold` is what it says then. */
export type Field = { half?: boolean } & FieldShape
type FieldShape =
  | { key: string; label: string; type: 'text' | 'lines'; hint?: string; mono?: boolean; empty?: boolean }
  | { key: string; label: string; type: 'number'; hint?: string; empty?: boolean }
  | { key: string; label: string; type: 'choice'; options: readonly string[]; hint?: string; untold?: string }
  | { key: string; label: string; type: 'switch'; hint?: string }
  | { key: string; label: string; type: 'name'; from: Source; hint?: string; optional?: boolean }
  | { key: string; label: string; type: 'list'; from?: Source; hint?: string; mono?: boolean }
  | { key: string; label: string; type: 'records'; fields: readonly Field[]; hint?: string; blank: object }
/** Where the names of a field come from. */
export type Source =
  | 'zone'
  | 'segment'
  | 'device'
  | 'policy'
  | 'interface'
  | 'scope'
  | 'address'
  | 'party'
  | 'becomes'
  | 'service'
  | 'trait'

export const WORD: Record<Kind, string> = {
  zones: 'zone',
  segments: 'segment',
  hosts: 'host',
  devices: 'device',
  interfaces: 'interface',
  'destination-translations': 'destination translation',
  'source-translations': 'source translation',
  steering: 'steering entry',
  policies: 'policy',
  'at-hosts': 'policies at hosts',
}

const name: Field = { key: 'name', label: 'Name', type: 'text' }
const why: Field = { key: 'description', label: 'What it is', type: 'lines' }
const SWING = ['open', 'closed'] as const
const match: readonly Field[] = [
  { key: 'source', label: 'From', type: 'list', from: 'address' },
  { key: 'destination', label: 'To', type: 'list', from: 'address' },
  { key: 'service', label: 'Service', type: 'list', from: 'service' },
]
const rest: readonly Field[] = [
  { key: 'negate', label: 'Fields that mean everything else', type: 'list', hint: 'source' },
  { half: true, key: 'enabled', label: 'in use', type: 'switch' },
  { half: true, key: 'log', label: 'logged', type: 'switch' },
  why,
]
const entering: Field = { key: 'entering', label: 'Entering by', type: 'list', from: 'scope' }
const STAGES = ['inbound', 'passage', 'outbound', 'to the device', 'from the device'] as const

export const FORMS: Record<Kind, readonly Field[]> = {
  zones: [name, { key: 'depth', label: 'Depth', type: 'number', hint: '0 is outermost' }, why],
  segments: [
    name,
    { key: 'prefixes', label: 'Prefixes', type: 'list', mono: true, hint: '10.44.10.0/24' },
    { key: 'vlan', label: 'VLAN id', type: 'number', empty: true, hint: '1 to 4094' },
    { key: 'outside', label: 'outside: we do not run it', type: 'switch' },
    {
      key: 'gateways',
      label: 'Gateways, in order',
      type: 'list',
      from: 'device',
      hint: 'none: all devices on it',
    },
    why,
  ],
  hosts: [
    name,
    { key: 'segment', label: 'Segment', type: 'name', from: 'segment' },
    { key: 'addresses', label: 'Addresses', type: 'list', mono: true },
    { half: true, key: 'held', label: 'Held', type: 'choice', options: ['fixed', 'reserved', 'leased'] },
    { key: 'traits', label: 'Traits', type: 'list', from: 'trait', hint: 'kind kiosk' },
    { half: true, key: 'user', label: 'Remote user', type: 'text', hint: 'if it is a tunnel address' },
    why,
  ],
  devices: [
    name,
    { half: true, key: 'filtering', label: 'Filtering', type: 'choice', options: ['stateful', 'stateless'] },
    {
      half: true,
      key: 'replies',
      label: 'Replies pass',
      type: 'choice',
      options: ['by conversation', 'by rule'],
    },
    {
      key: 'zone_default.mode',
      label: 'By default',
      type: 'choice',
      options: ['closed', 'open', 'by depth'],
    },
    { half: true, key: 'zone_default.outward', label: 'outward', type: 'choice', options: SWING },
    { half: true, key: 'zone_default.inward', label: 'inward', type: 'choice', options: SWING },
    { half: true, key: 'zone_default.level', label: 'level', type: 'choice', options: SWING },
    { half: true, key: 'zone_default.within', label: 'within one zone', type: 'choice', options: SWING },
    {
      key: 'policies',
      label: 'Policies, in the order in which they are consulted',
      type: 'records',
      blank: { policy: '', stage: 'passage', entering: ['any'], leaving: ['any'] },
      fields: [
        { key: 'policy', label: 'policy', type: 'name', from: 'policy' },
        { key: 'stage', label: 'stage', type: 'choice', options: STAGES },
        { key: 'entering', label: 'entering by', type: 'list', from: 'scope' },
        { key: 'leaving', label: 'leaving by', type: 'list', from: 'scope' },
      ],
    },
    {
      key: 'routes',
      label: 'Routes',
      type: 'records',
      blank: { prefix: '', via: null, interface: null, metric: 0, discard: false },
      fields: [
        { key: 'prefix', label: 'prefix', type: 'text', mono: true },
        { key: 'via', label: 'next device', type: 'text', mono: true, hint: 'its address' },
        { key: 'interface', label: 'by', type: 'name', from: 'interface', optional: true },
        { key: 'metric', label: 'metric', type: 'number' },
        { key: 'discard', label: 'discard', type: 'switch' },
      ],
    },
    { key: 'management', label: 'Managed by', type: 'list', from: 'service' },
    { key: 'tunnels', label: 'Tunnels end at', type: 'list', from: 'service' },
    { half: true, key: 'cluster', label: 'Cluster', type: 'text', hint: 'shares conversations with' },
    {
      half: true,
      key: 'answers_leave',
      label: 'Answers leave',
      type: 'choice',
      options: ['by route', 'where asked'],
    },
    { half: true, key: 'out_of_state', label: 'Out of state', type: 'choice', options: ['drop', 'by rule'] },
    why,
  ],
  interfaces: [
    name,
    { key: 'kind', label: 'Kind', type: 'choice', options: ['physical', 'vlan', 'tunnel', 'loopback'] },
    { key: 'parent', label: 'Carried by', type: 'name', from: 'interface', optional: true },
    { key: 'vlan', label: 'VLAN id', type: 'number', empty: true, hint: '1 to 4094' },
    { key: 'segment', label: 'Segment', type: 'name', from: 'segment', optional: true },
    { key: 'zone', label: 'Zone', type: 'name', from: 'zone', optional: true },
    { key: 'addresses', label: 'Addresses of the device here', type: 'list', mono: true },
    { key: 'management_only', label: 'For management only: nothing passes here', type: 'switch' },
    why,
  ],
  'destination-translations': [
    name,
    entering,
    ...match,
    { key: 'to', label: 'Becomes', type: 'list', from: 'address', hint: 'none: as it is' },
    { half: true, key: 'port', label: 'Port becomes', type: 'text', hint: '8443', empty: true },
    ...rest,
  ],
  'source-translations': [
    name,
    { key: 'leaving', label: 'Leaving by', type: 'list', from: 'scope' },
    ...match,
    { key: 'to', label: 'Source becomes', type: 'list', from: 'becomes', hint: 'interface, none' },
    {
      key: 'ports',
      label: 'Source port',
      type: 'choice',
      options: ['rewrite', 'keep'],
      untold: 'kept one to one, else rewritten',
    },
    ...rest,
  ],
  steering: [
    name,
    entering,
    ...match,
    { key: 'leave', label: 'Leaves by', type: 'name', from: 'interface', optional: true },
    { half: true, key: 'via', label: 'Next device', type: 'text', hint: 'its address', empty: true },
    {
      half: true,
      key: 'when_down',
      label: 'When that is down',
      type: 'choice',
      options: ['drop', 'route'],
      untold: 'nobody knows',
    },
    { half: true, key: 'schedule', label: 'While', type: 'text', hint: 'a schedule', empty: true },
    ...rest,
  ],
  policies: [
    name,
    {
      half: true,
      key: 'default',
      label: 'Otherwise',
      type: 'choice',
      options: ['drop', 'reject', 'allow', 'continue'],
    },
    { half: true, key: 'families', label: 'Families', type: 'choice', options: ['both', '4', '6'] },
    { ...why, label: 'What it is for' },
  ],
  'at-hosts': [
    {
      key: 'at_hosts',
      label: 'Policies consulted at hosts themselves, in order',
      type: 'records',
      blank: { policy: '', direction: 'inbound', hosts: [] },
      fields: [
        { key: 'policy', label: 'policy', type: 'name', from: 'policy' },
        { key: 'direction', label: 'direction', type: 'choice', options: ['inbound', 'outbound'] },
        { key: 'hosts', label: 'at', type: 'list', from: 'address' },
      ],
    },
  ],
}

/** What a device that remembers no conversation has no use for. */
const OF_MEMORY = new Set(['replies', 'cluster', 'answers_leave', 'out_of_state'])

/** Whether a field means anything for the thing as it is being written. */
export function applies(kind: Kind, key: string, draft: Record<string, unknown>): boolean {
  if (kind === 'interfaces' && (key === 'parent' || key === 'vlan')) return draft.kind === 'vlan'
  if (kind === 'devices' && /^zone_default\.(outward|inward|level|within)$/.test(key))
    return (draft.zone_default as Record<string, unknown> | undefined)?.mode === 'by depth'
  if (kind === 'devices' && OF_MEMORY.has(key)) return draft.filtering !== 'stateless'
  return true
}

const blankEntry = {
  name: '',
  source: ['any'],
  destination: ['any'],
  service: ['any'],
  negate: [],
  log: false,
  enabled: true,
  description: '',
}

/** A new thing. Nothing that allows is ever a default. */
export function blankOf(kind: Kind): Record<string, unknown> {
  switch (kind) {
    case 'zones':
      return { name: '', depth: 0, description: '' }
    case 'segments':
      return { name: '', prefixes: [], outside: false, vlan: null, gateways: [], description: '' }
    case 'hosts':
      return { name: '', segment: '', addresses: [], held: 'fixed', traits: [], user: '', description: '' }
    case 'devices':
      return {
        name: '',
        filtering: 'stateful',
        replies: 'by conversation',
        zone_default: { mode: 'closed', outward: 'open', inward: 'closed', level: 'closed', within: 'open' },
        routes: [],
        management: [],
        tunnels: [],
        policies: [],
        cluster: '',
        out_of_state: 'drop',
        answers_leave: 'by route',
        description: '',
      }
    case 'interfaces':
      return {
        name: '',
        segment: null,
        zone: null,
        kind: 'physical',
        parent: null,
        vlan: null,
        addresses: [],
        management_only: false,
        description: '',
      }
    case 'destination-translations':
      return { ...blankEntry, entering: ['any'], destination: [], to: [], port: null }
    case 'source-translations':
      return { ...blankEntry, leaving: ['any'], source: [], to: [], ports: null }
    case 'steering':
      return { ...blankEntry, entering: ['any'], leave: null, via: null, when_down: null, schedule: null }
    case 'policies':
      return { name: '', default: 'drop', families: 'both', description: '' }
    case 'at-hosts':
      return { name: 'at hosts', at_hosts: [] }
  }
}

/** The outline: everything there is, in the order of the work, what hangs on something right below it. */
export function outline(ground: GroundOut): Item[] {
  const item = (
    kind: Kind,
    held: { id: number; ver: number; thing: object },
    detail: string,
    level = 0,
    parent = 0,
  ) =>
    ({
      kind,
      id: held.id,
      ver: held.ver,
      name: (held.thing as { name: string }).name,
      detail,
      level,
      parent,
      thing: held.thing as Record<string, unknown>,
    }) satisfies Item
  const same = (a: string, b: string) => a.toLowerCase() === b.toLowerCase()
  return [
    ...ground.zones
      .toSorted((a, b) => (a.thing.depth ?? 0) - (b.thing.depth ?? 0))
      .map((z) => item('zones', z, `depth ${z.thing.depth ?? 0}`)),
    ...ground.devices.flatMap((d) => [
      item('devices', { ...d, thing: alone(d.thing) }, d.thing.filtering ?? 'stateful'),
      ...d.interfaces.map((i) =>
        item('interfaces', i, i.thing.segment ?? i.thing.kind ?? 'physical', 1, d.id),
      ),
      ...LISTS.flatMap(({ kind, field }) => d[field].map((e) => item(kind, e, WORD[kind], 1, d.id))),
    ]),
    ...ground.segments.flatMap((s) => [
      item('segments', s, (s.thing.prefixes ?? []).join(', ') || 'everything else'),
      ...ground.hosts
        .filter((h) => same(h.thing.segment, s.thing.name))
        .map((h) => item('hosts', h, h.thing.addresses.join(', '), 1)),
    ]),
    ...ground.policies.map((p) =>
      item(
        'policies',
        {
          id: p.id,
          ver: p.ver,
          thing: { name: p.name, default: p.default, families: p.families, description: p.description },
        },
        `${p.rules} rules`,
      ),
    ),
    item('at-hosts', ground.at_hosts, String(ground.at_hosts.thing.at_hosts?.length ?? 0)),
  ]
}

/** A device without what is edited by itself. */
export function alone(device: Shapes['Device']): Shapes['Device'] {
  return { ...device, interfaces: [], translate_destination: [], translate_source: [], steering: [] }
}

/** What fits a search: by name, address, or any word of the thing; a hit keeps what it hangs on. */
export function found(items: readonly Item[], text: string): Item[] {
  const word = text.trim().toLowerCase()
  if (!word) return [...items]
  const hit = (item: Item) =>
    `${item.name} ${item.detail} ${JSON.stringify(item.thing)}`.toLowerCase().includes(word)
  const kept: Item[] = []
  let head: Item | null = null
  for (const item of items) {
    if (item.level === 0) head = item
    if (!hit(item)) continue
    if (item.level && head && !kept.includes(head)) kept.push(head)
    kept.push(item)
  }
  return kept
}

/** What a device does by default, from each zone, in words. */
export function byDefault(between: readonly Shapes['BetweenZones'][]): { from: string; text: string }[] {
  const froms = [...new Set(between.map((b) => b.entering))]
  return froms.map((from) => {
    const own = between.filter((b) => b.entering === from)
    const open = own
      .filter((b) => b.default === 'open')
      .map((b) => (b.leaving === from ? 'itself' : b.leaving))
    if (!open.length) return { from, text: 'closed to every zone, itself included' }
    if (open.length === own.length) return { from, text: 'open to every zone' }
    return { from, text: `open to ${listed(open)}, closed to the rest` }
  })
}

/** The rule of a device's default in one sentence. */
export function defaultSentence(device: Shapes['Device']): string {
  const rule = device.zone_default ?? { mode: 'closed' }
  if (rule.mode !== 'by depth') return `${rule.mode} between all interfaces`
  return `outward ${rule.outward}, inward ${rule.inward}, level ${rule.level}, inside one zone ${rule.within}`
}

/** The names a field may take, from the ground and the names of the network. */
export function sourceNames(
  source: Source,
  ground: GroundOut,
  names: readonly { name: string; kind: string }[],
  deviceId: number,
): string[] {
  const interfaces = () =>
    ground.devices.find((d) => d.id === deviceId)?.interfaces.map((i) => i.thing.name) ?? []
  const zones = () => ground.zones.map((z) => z.thing.name)
  switch (source) {
    case 'zone':
      return zones()
    case 'segment':
      return ground.segments.map((s) => s.thing.name)
    case 'device':
      return ground.devices.map((d) => d.thing.name)
    case 'policy':
      return ground.policies.map((p) => p.name)
    case 'interface':
      return interfaces()
    case 'scope':
      return ['any', ...zones(), ...interfaces()]
    case 'service':
      return names.filter((n) => n.kind === 'service').map((n) => n.name)
    case 'address':
      return names.filter((n) => n.kind !== 'service').map((n) => n.name)
    case 'party':
      return [...names.filter((n) => n.kind !== 'service').map((n) => n.name), ...zones()]
    case 'becomes':
      return ['interface', 'none', ...names.filter((n) => n.kind !== 'service').map((n) => n.name)]
    case 'trait':
      return [...new Set(ground.hosts.flatMap((h) => h.thing.traits ?? []))].sort()
  }
}

/** Read or write a value under a dotted key. */
export function valueAt(record: Record<string, unknown>, key: string): unknown {
  return key.split('.').reduce<unknown>((at, step) => (at as Record<string, unknown> | null)?.[step], record)
}
export function setAt(record: Record<string, unknown>, key: string, value: unknown): void {
  const steps = key.split('.')
  const last = steps.pop()!
  const owner = steps.reduce<Record<string, unknown>>(
    (at, step) => at[step] as Record<string, unknown>,
    record,
  )
  owner[last] = value
}
