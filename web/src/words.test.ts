import { describe, expect, it } from 'vitest'
import {
  aboutOne,
  attachment,
  decidesLine,
  decidesSentence,
  listed,
  quoted,
  wordStart,
  works,
  exampleOf,
} from '@/words'
import { decided } from '@/examples'

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

  it('asks about one flow on the same suppositions and of the same version', () => {
    const flow = '10.44.1.20 to 10.44.3.20 on tcp/443'
    expect(aboutOne(flow, 'a to b')).toBe(flow)
    expect(aboutOne(flow, 'a to b on https without far.radio without "the other" as new')).toBe(
      `${flow} without far.radio without "the other"`,
    )
    expect(aboutOne(flow, 'a to b entering gate.q as of edition 3')).toBe(
      `${flow} entering gate.q as of edition 3`,
    )
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

describe('the example of a question', () => {
  const name = (called: string, kind: string, uses = 0) => ({ name: called, kind, uses })
  it('is of the network at hand', () => {
    const some = [
      name('a', 'segment'),
      name('wide net', 'segment', 3),
      name('x', 'host', 1),
      name('ssh', 'service', 2),
    ]
    expect(exampleOf(some)).toBe('"wide net" to x on ssh')
    expect(exampleOf(some.slice(0, 2))).toBe('"wide net" to a on https')
    expect(exampleOf([])).toBe('WHO to WHOM on SERVICE')
  })
})
