import { describe, expect, it } from 'vitest'
import type { AnswerOut, Decided, GroundOut, NameOut, PlacedFinding, RuleRow } from '@/api/client'
import { courseOfDefault, courseOfVerdict, coursesOf } from './courses'
import { findRules, type Sieve } from './find'
import { kindsOf, sifted } from './findings'
import { siftFlows } from './flows'
import { contour, chartOf } from './chart'
import { applies, byDefault, found, outline } from './ground'
import { gapAtLine, linesOf, pick, sectionAt, swapped } from './lines'
import { merge } from './merge'
import { filtered, membersEdit, remarks } from './names'
import { gap, moved, moveTo, placeOfGap } from './places'
import {
  blank,
  complete,
  draftOf,
  isRaw,
  offersFor,
  problemsAt,
  recognise,
  ruleOf,
  suggest,
} from './ruleDraft'
import { meet, spanOf } from './spans'
import { attachment, decidesLine, decidesSentence, listed, quoted, wordStart, works } from './words'

const rows = [1, 2, 3, 4].map((id) => ({ id }))

describe('places', () => {
  it('names the neighbours of a gap', () => {
    expect(gap(rows, 0)).toEqual({ after: null, before: 1 })
    expect(gap(rows, 2)).toEqual({ after: 2, before: 3 })
    expect(gap(rows, 4)).toEqual({ after: 4, before: null })
    expect(gap([], 0)).toEqual({ after: null, before: null })
  })

  it('agrees with the list after the move, for every row and every gap', () => {
    for (const { id } of rows)
      for (let at = 0; at <= rows.length; at++) {
        const target = placeOfGap(rows, id, at)
        const after = moved(rows, id, target)
        const place = after.findIndex((row) => row.id === id)
        expect(place + 1).toBe(target)
        expect(moveTo(rows, id, target)).toEqual({
          after: after[place - 1]?.id ?? null,
          before: after[place + 1]?.id ?? null,
        })
      }
  })

  it('stays inside the list', () => {
    expect(moveTo(rows, 2, 99)).toEqual({ after: 4, before: null })
    expect(moveTo(rows, 2, -1)).toEqual({ after: null, before: 1 })
  })
})

const decided = (part: Partial<Decided>): Decided => ({
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
const by = [3, 5, 7, 8].map((position) => ({ id: position, name: `r${position}`, position }))

describe('words', () => {
  it('tells where a rule works', () => {
    expect(works({ all_until: 3, some_until: 3 })).toBe('Works at 1–3.')
    expect(works({ all_until: 1, some_until: 1 })).toBe('Works at 1.')
    expect(works({ all_until: 2, some_until: 5 })).toBe('Works at 1–2, in part at 3–5.')
    expect(works({ all_until: 1, some_until: 2 })).toBe('Works at 1, in part at 2.')
  })

  it('tells who takes what', () => {
    expect(
      decidesLine(
        decided({ decides: 'none', kind: 'shadowed', cause: 'earlier', by: by.slice(0, 1), by_count: 1 }),
      ),
    ).toBe('3 takes all of it.')
    expect(decidesLine(decided({ decides: 'part', by, by_count: 9 }))).toBe('3, 5, 7 and 6 more take a part.')
    expect(decidesLine(decided({}))).toBe('')
    expect(decidesLine(decided({ decides: 'none' }))).toBe('It matches no packet.')
    expect(decidesLine(decided({ decides: 'undecided' }))).toContain('work limit')
  })

  it('speaks of one place in a sentence', () => {
    expect(decidesSentence(decided({}), 4)).toBe('At 4 it decides all of what it matches.')
    expect(decidesSentence(decided({ decides: 'none', by: by.slice(0, 1), by_count: 1 }), 4)).toBe(
      'At 4 it decides nothing: 3 r3 takes all of it.',
    )
    expect(decidesSentence(decided({ decides: 'none', by, by_count: 4 }), 9)).toBe(
      'At 9 it decides nothing: 3 r3, 5 r5, 7 r7 and 1 more take all of it.',
    )
  })

  it('lists and quotes', () => {
    expect(listed(['a', 'b', 'c', 'd'])).toBe('a, b, c and 1 more')
    expect(quoted('ramp-plc')).toBe('ramp-plc')
    expect(quoted('old kiosk')).toBe('"old kiosk"')
  })

  it('knows where the last word of a question begins', () => {
    expect(wordStart('')).toBe(0)
    expect(wordStart('pas')).toBe(0)
    expect(wordStart('passenger-wifi to ra')).toBe(18)
    expect(wordStart('passenger-wifi to ')).toBe(18)
    expect(wordStart('kiosk-3 to "old ki')).toBe(11)
  })

  it('says where a policy is attached', () => {
    const at = { device: 'lock', entering: ['any'], leaving: ['any'] }
    expect(attachment({ ...at, stage: 'passage', leaving: ['control'] })).toBe(
      'lock · passage, any → control',
    )
    expect(attachment({ ...at, stage: 'inbound', entering: ['a', 'b', 'c'] })).toBe(
      'lock · inbound at a, b and 1 more',
    )
    expect(attachment({ ...at, stage: 'outbound' })).toBe('lock · outbound at any')
    expect(attachment({ ...at, stage: 'from the device', leaving: ['a'] })).toBe(
      'lock · from the device by a',
    )
    expect(attachment({ ...at, device: null, stage: 'inbound', entering: ['kiosks'] })).toBe(
      'at hosts, inbound: kiosks',
    )
    expect(attachment({ ...at, stage: 'to the device' })).toBe('lock · to the device from any')
  })
})

const name = (part: Partial<NameOut>): NameOut => ({
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
const names = [
  name({ name: 'ramp-plc', values: ['10.44.30.10', 'fd00:44:30::10'] }),
  name({ name: 'ramp-hmi', values: ['10.44.30.20'] }),
  name({ name: 'twin-a', values: ['10.44.30.21'] }),
  name({ name: 'twin-b', values: ['10.44.30.21'] }),
  name({ name: 'ntp', kind: 'service', values: ['udp/123'], description: 'time' }),
]

describe('a rule being written', () => {
  it('starts as a drop that matches nothing: nothing that allows is a default', () => {
    expect(blank().action).toBe('drop')
    expect(complete(blank())).toBe(false)
  })

  it('recognises a value that stands for one name only', () => {
    expect(recognise(' 10.44.30.20 ', names, 'destination')).toBe('ramp-hmi')
    expect(recognise('RAMP-HMI', names, 'source')).toBe('ramp-hmi')
    expect(recognise('udp/123', names, 'service')).toBe('ntp')
    // One address of two, two names for one address, a service among addresses: left as written.
    expect(recognise('10.44.30.10', names, 'source')).toBe('10.44.30.10')
    expect(recognise('10.44.30.21', names, 'source')).toBe('10.44.30.21')
    expect(recognise('udp/123', names, 'source')).toBe('udp/123')
  })

  it('finds names by name, part, value and description', () => {
    expect(suggest(names, 'service', 'time').map((n) => n.name)).toEqual(['ntp'])
    expect(suggest(names, 'service', '123').map((n) => n.name)).toEqual(['ntp'])
    expect(suggest(names, 'source', 'hmi').map((n) => n.name)).toEqual(['ramp-hmi'])
    expect(suggest(names, 'source', '').length).toBe(4)
  })

  it('offers what the network has no name for', () => {
    const known = [
      { name: 'ntp', members: ['udp/123'], words: '' },
      { name: 'clock', members: ['udp/123'], words: '' },
      { name: 'nts', members: ['tcp/4460'], words: '' },
    ]
    expect(offersFor(known, names).map((k) => k.name)).toEqual(['nts'])
  })

  it('keeps an answer only where it rejects, and leaves the original alone', () => {
    const original = { ...blank(), action: 'reject' as const, source: ['a'] }
    const draft = draftOf(original)
    draft.source.push('b')
    expect(original.source).toEqual(['a'])
    expect(ruleOf(draft).reject_with).toBe('prohibited')
    draft.action = 'allow'
    expect(ruleOf(draft).reject_with).toBeNull()
  })

  it('puts each problem at its field', () => {
    const problems = [
      { path: ['source', 0], place: 'source[0]', message: 'no' },
      { path: ['rule', 'name'], place: 'rule.name', message: 'taken' },
    ]
    expect(problemsAt(problems, 'source')).toEqual(['no'])
    expect(problemsAt(problems, 'name')).toEqual(['taken'])
  })
})

describe('raw values', () => {
  it('are meant as they stand; words are completed', () => {
    for (const text of ['udp/53', 'tcp/8000-8100', 'tcp from 443', 'icmp/3.4', 'proto/47', 'tcp'])
      expect(isRaw(text, 'service')).toBe(true)
    for (const text of ['dns', 'http', '53', 'udp-relay', '']) expect(isRaw(text, 'service')).toBe(false)
    for (const text of ['10.44.1.9', '10.44.0.0/16', '10.44.0.1-10.44.0.9', 'fd00:44::1', '::/0'])
      expect(isRaw(text, 'source')).toBe(true)
    for (const text of ['kiosk-1', 'fares-db', 'any', '']) expect(isRaw(text, 'source')).toBe(false)
  })
})

describe('two people on one rule', () => {
  const base = { ...blank(), name: 'r', source: ['a'] }

  it('takes what only the other changed and keeps what I wrote', () => {
    const mine = { ...base, description: 'mine', source: ['a', 'b'] }
    const theirs = { ...base, enabled: false, source: ['a', 'c'] }
    const { merged, taken, clashes } = merge(base, mine, theirs)
    expect(merged).toEqual({ ...mine, enabled: false })
    expect(taken).toEqual(['enabled'])
    expect(clashes).toEqual(['source'])
  })

  it('finds nothing to tell where both did the same', () => {
    const both = { ...base, log: true }
    expect(merge(base, both, both)).toEqual({ merged: both, taken: [], clashes: [] })
  })
})

describe('the line code', () => {
  it('draws each fate once, passing ones first', () => {
    const parts = ['dropped', 'delivered', 'dropped', 'rejected'].map((result) => ({ result }))
    expect(coursesOf({ parts } as AnswerOut)).toEqual(['allow', 'drop', 'reject'])
    expect(courseOfDefault('continue')).toBe('undecided')
    expect(courseOfDefault('reject')).toBe('reject')
  })
})

describe('names', () => {
  it('tells what is odd about a name, the worst first', () => {
    expect(remarks(name({ values: ['10.44.1.1'] }))).toEqual([])
    const odd = name({ kind: 'addresses', uses: 0, same: ['b'], nearly: ['c'] })
    expect(remarks(odd).map((r) => r.text)).toEqual(['holds nothing', 'nearly c', 'same as b', 'unused'])
    // A host nobody names in a rule is no oddity.
    expect(remarks(name({ uses: 0, values: ['10.44.1.1'] }))).toEqual([])
  })

  it('finds by name, value and description, by kind and by oddity', () => {
    expect(filtered(names, '30.2', '', false).map((n) => n.name)).toEqual(['ramp-hmi', 'twin-a', 'twin-b'])
    expect(filtered(names, 'TIME', 'service', false).map((n) => n.name)).toEqual(['ntp'])
    expect(filtered(names, '', '', true)).toEqual([])
  })

  it('says what an edit of members comes down to', () => {
    expect(membersEdit(['a', 'b'], ['b', 'c'])).toBe('adds c; takes out a')
    expect(membersEdit(['a'], ['a', 'b', 'c'])).toBe('adds b, c')
    expect(membersEdit(['a', 'b'], ['b', 'a'])).toBe('')
  })
})

describe('finding', () => {
  const row = (id: number, rule: object, part: Partial<Decided> = {}) =>
    ({
      ...decided(part),
      id,
      position: id,
      rule: { ...blank(), source: ['any'], destination: ['any'], service: ['any'], ...rule },
    }) as unknown as RuleRow
  const list = [
    row(1, { name: 'time for all', action: 'allow', service: ['ntp'], log: true }),
    row(
      2,
      { name: 'panel', destination: ['ramp-hmi'], action: 'allow' },
      { decides: 'none', kind: 'shadowed' },
    ),
    row(3, { name: 'rest', description: 'the last word' }, { decides: 'part' }),
    row(4, { name: 'old', enabled: false, action: 'reject' }, { decides: 'none' }),
  ]
  const ids = (text: string, sieve: Sieve = '') => findRules(list, names, text, sieve).map((r) => r.id)

  it('looks into names, words and what the members stand for', () => {
    expect(ids('')).toEqual([1, 2, 3, 4])
    expect(ids('udp/123')).toEqual([1])
    expect(ids('10.44.30.20')).toEqual([2])
    expect(ids('LAST word')).toEqual([3])
    expect(ids('last panel')).toEqual([])
  })

  it('sieves by what rules decide and do', () => {
    expect(ids('', 'dead')).toEqual([2])
    expect(ids('', 'part')).toEqual([3])
    expect(ids('', 'off')).toEqual([4])
    expect(ids('', 'logged')).toEqual([1])
    expect(ids('', 'blocks')).toEqual([3, 4])
  })

  it('chooses findings by kind and weight', () => {
    const findings = [
      { kind: 'shadowed', weight: 'warning' },
      { kind: 'unused', weight: 'note' },
      { kind: 'shadowed', weight: 'warning' },
    ] as PlacedFinding[]
    expect(kindsOf(findings)).toEqual([
      ['shadowed', 2],
      ['unused', 1],
    ])
    expect(sifted(findings, 'shadowed', '').length).toBe(2)
    expect(sifted(findings, '', 'note').length).toBe(1)
  })
})

describe('lines', () => {
  const rule = (position: number) => ({ id: position * 10, position }) as RuleRow
  const section = (id: number, begins: number) => ({ id, ver: 1, name: `s${id}`, description: '', begins })
  const five = [1, 2, 3, 4, 5].map(rule)
  const sections = [section(1, 2), section(2, 4), section(3, 6)]
  const told = (lines: ReturnType<typeof linesOf>) =>
    lines.map((l) => (l.kind === 'rule' ? l.row.position : `${l.section.name}:${l.count}`))

  it('puts headers before the rules they begin at, an empty one last', () => {
    expect(told(linesOf(five, sections, new Set()))).toEqual([1, 's1:2', 2, 3, 's2:2', 4, 5, 's3:0'])
  })

  it('folds what belongs to a section and nothing else', () => {
    expect(told(linesOf(five, sections, new Set([1])))).toEqual([1, 's1:2', 's2:2', 4, 5, 's3:0'])
    expect(sectionAt(sections, 1)).toBeNull()
    expect(sectionAt(sections, 3)?.id).toBe(1)
  })

  it('knows the gap at each line', () => {
    const lines = linesOf(five, sections, new Set())
    expect(lines.map((line) => gapAtLine(line, true, 5))).toEqual([1, 1, 2, 3, 3, 4, 5, 5])
    expect(gapAtLine(undefined, false, 5)).toBe(5)
  })

  it('picks one more, a range, or none', () => {
    const ids = five.map((r) => r.id)
    const range = pick(ids, new Set(), 20, 40, 'range')
    expect([...range]).toEqual([20, 30, 40])
    expect([...pick(ids, range, 40, 30, 'toggle')]).toEqual([20, 40])
    expect([...pick(ids, new Set(), 20, 50, 'toggle')]).toEqual([20, 50])
    expect(pick(ids, range, 40, 10, 'one').size).toBe(0)
  })

  it('swaps the ends with what is negated of them', () => {
    const there = { source: ['a'], destination: ['b', 'c'], negate: ['source', 'service'] }
    expect(swapped(there)).toEqual({
      source: ['b', 'c'],
      destination: ['a'],
      negate: ['destination', 'service'],
    })
    expect(swapped(swapped(there))).toEqual(there)
  })
})

describe('the ground', () => {
  const held = <T extends object>(id: number, thing: T) => ({ id, ver: 1, thing })
  const ground = {
    revision: 1,
    zones: [held(1, { name: 'inside', depth: 4 }), held(2, { name: 'outside', depth: 0 })],
    segments: [
      held(3, { name: 'desks', prefixes: ['10.44.1.0/24'], vlan: 7 }),
      held(4, { name: 'world', prefixes: [], outside: true }),
      held(5, { name: 'lost', prefixes: ['10.44.9.0/24'] }),
    ],
    hosts: [
      held(6, { name: 'printer', segment: 'DESKS', addresses: ['10.44.1.9'], traits: ['kind printer'] }),
    ],
    devices: [
      {
        ...held(7, {
          name: 'lock',
          policies: [{ policy: 'p', stage: 'outbound', entering: ['any'], leaving: ['Outside'] }],
        }),
        interfaces: [
          held(8, { name: 'a', segment: 'Desks', zone: 'inside' }),
          held(9, { name: 'b', segment: 'world', zone: 'OUTSIDE' }),
          held(10, { name: 'c', zone: 'inside' }),
        ],
        between: [],
      },
    ],
    policies: [{ id: 11, ver: 1, name: 'p', description: '', default: 'drop', families: 'both', rules: 3 }],
    at_hosts: held(12, { name: 'at hosts', at_hosts: [] }),
    findings: [],
  } as unknown as GroundOut

  it('is drawn by depth, with nothing left out and nothing on top of another', () => {
    const chart = chartOf(ground)
    expect(chart.bands.map((b) => b.names)).toEqual([['outside'], ['inside']])
    expect(chart.plates.map((p) => p.name).sort()).toEqual(['desks', 'lost', 'world'])
    expect(chart.plates.find((p) => p.name === 'world')!.x).toBeLessThan(chart.bands[1]!.x)
    expect(chart.plates.find((p) => p.name === 'desks')!.x).toBeGreaterThan(chart.bands[1]!.x)
    expect(chart.adrift).not.toBeNull()
    const boxes = [...chart.plates, ...chart.locks]
    for (const [i, a] of boxes.entries())
      for (const b of boxes.slice(i + 1))
        expect(a.x < b.x + b.w && b.x < a.x + a.w && a.y < b.y + b.h && b.y < a.y + a.h).toBe(false)
    expect(chart.courses.map((c) => [c.id, c.policies])).toEqual([
      [8, []],
      [9, ['p (outbound)']],
    ])
    expect(chart.courses.map((c) => c.gate !== null)).toEqual([false, true])
    expect(contour(10, 300).startsWith('M10,0')).toBe(true)
  })

  it('is listed with what hangs on what, and a hit keeps what it hangs on', () => {
    const items = outline(ground)
    expect(items.map((i) => i.name)).toEqual([
      'outside', 'inside', 'lock', 'a', 'b', 'c', 'desks', 'printer', 'world', 'lost', 'p', 'at hosts',
    ]) // prettier-ignore
    expect(found(items, 'kind printer').map((i) => i.name)).toEqual(['desks', 'printer'])
    expect(found(items, '10.44.9').map((i) => i.name)).toEqual(['lost'])
    expect(found(items, 'nowhere')).toEqual([])
  })

  it('tells defaults in words', () => {
    const pair = (entering: string, leaving: string, open: boolean) =>
      ({ entering, leaving, default: open ? 'open' : 'closed' }) as const
    expect(
      byDefault([pair('a', 'a', true), pair('a', 'b', false), pair('b', 'a', true), pair('b', 'b', true)]),
    ).toEqual([
      { from: 'a', text: 'open to itself, closed to the rest' },
      { from: 'b', text: 'open to every zone' },
    ])
  })

  it('asks only for what a thing of that kind has', () => {
    expect(applies('interfaces', 'vlan', { kind: 'physical' })).toBe(false)
    expect(applies('interfaces', 'vlan', { kind: 'vlan' })).toBe(true)
    expect(applies('devices', 'zone_default.inward', { zone_default: { mode: 'open' } })).toBe(false)
  })
})

describe('spans', () => {
  it('reads addresses, prefixes and ranges of both families, and nothing else', () => {
    expect(spanOf('10.44.30.20')).toEqual({ family: 4, low: 0x0a2c1e14n, high: 0x0a2c1e14n })
    expect(spanOf('10.44.30.0/26')).toEqual({ family: 4, low: 0x0a2c1e00n, high: 0x0a2c1e3fn })
    expect(spanOf('fd00:44::/32')!.high - spanOf('fd00:44::/32')!.low).toBe((1n << 96n) - 1n)
    expect(spanOf('fd00:44::1-fd00:44::9')!.high).toBe(spanOf('fd00:44:0:0:0:0:0:9')!.low)
    for (const text of [
      '10.44.30',
      '10.44.30.300',
      '10.0.0.0/33',
      'kiosk-1',
      'any',
      'fd00::1::2',
      '',
      '10.44.0.9-10.44.0.1',
    ])
      expect(spanOf(text)).toBeNull()
  })

  it('meet where one holds some of the other', () => {
    const pairs = [
      ['10.44.30.20', '10.44.30.0/26'],
      ['10.44.0.0/16', '10.44.30.20'],
      ['0.0.0.0/0', '10.44.0.1-10.44.0.9'],
    ]
    for (const [a, b] of pairs) expect(meet(spanOf(a!)!, spanOf(b!)!)).toBe(true)
    expect(meet(spanOf('10.44.30.64')!, spanOf('10.44.30.0/26')!)).toBe(false)
    expect(meet(spanOf('::/0')!, spanOf('0.0.0.0/0')!)).toBe(false)
  })

  it('find the rules an address is in, whatever it is called there', () => {
    const names = [
      { name: 'linkspans', kind: 'segment', values: ['10.44.30.0/26'], members: [] },
      { name: 'tower', kind: 'segment', values: ['10.44.60.0/26'], members: [] },
    ] as unknown as NameOut[]
    const rule = (id: number, destination: string) =>
      ({
        id,
        rule: {
          name: `r${id}`,
          action: 'allow',
          source: ['any'],
          destination: [destination],
          service: ['any'],
        },
      }) as unknown as RuleRow
    const rows = [rule(1, 'Linkspans'), rule(2, 'tower'), rule(3, '10.44.30.16/28'), rule(4, 'any')]
    expect(findRules(rows, names, '10.44.30.20', '').map((r) => r.id)).toEqual([1, 3])
    expect(findRules(rows, names, '10.44.0.0/16', '').map((r) => r.id)).toEqual([1, 2, 3])
    expect(findRules(rows, names, '10.44.30.20 linkspans', '').map((r) => r.id)).toEqual([1])
  })
})

describe('decided flows', () => {
  const rows = [
    ['10.44.0.1', '443', 'allow', 'desk', 'ramp'],
    ['10.44.0.2', '22', 'drop', 'default', 'ramp'],
    ['nowhere', '', 'error', "src: 'nowhere' is not an IP address", 'ramp'],
    ['else', '', 'error', "src: 'else' is not an IP address", 'ramp'],
  ]
  it('are sifted by who decided and by words in any cell', () => {
    expect(siftFlows(rows, 2, null, '')).toHaveLength(4)
    expect(siftFlows(rows, 2, 'drop\tdefault', '')).toEqual([rows[1]])
    expect(siftFlows(rows, 2, 'error\terror', '')).toHaveLength(2)
    expect(siftFlows(rows, 2, null, ' 10.44.0.1 ')).toEqual([rows[0]])
    expect(siftFlows(rows, 2, 'error\terror', 'ELSE')).toEqual([rows[3]])
  })
  it('have a line each, open where there is no verdict', () => {
    expect(['allow', 'drop', 'reject', 'continue', 'error'].map(courseOfVerdict)).toEqual([
      'allow',
      'drop',
      'reject',
      'undecided',
      'undecided',
    ])
  })
})
