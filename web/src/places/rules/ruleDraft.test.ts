import { describe, expect, it } from 'vitest'
import {
  blank,
  complete,
  couldBeName,
  draftOf,
  isRaw,
  offersFor,
  ownAmong,
  problemsAt,
  recognise,
  ruleOf,
  suggest,
} from '@/places/rules/ruleDraft'
import { names } from '@/examples'

describe('a rule being written', () => {
  it('does nothing until somebody says what', () => {
    const full = { ...blank(), source: ['any'], destination: ['any'], service: ['any'] }
    expect([complete(blank()), complete(full)]).toEqual([false, false])
    expect(complete({ ...full, action: 'allow' })).toBe(true)
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

  it("finds the network's own service by what others call it, the nearest first", () => {
    const own = (name: string, values: string[], more = 0) =>
      ({ ...names[0]!, name, kind: 'service', values, more }) as (typeof names)[number]
    const known = [{ name: 'dns', members: ['udp/53', 'tcp/53'], words: 'domain' }]
    const some = [
      own('all sorts', ['udp/53', 'tcp/80'], 40),
      own('lookup', ['tcp/53', 'udp/53']),
      own('web', ['tcp/80']),
    ]
    expect(ownAmong(known, some).map((n) => n.name)).toEqual(['lookup', 'all sorts'])
    expect(ownAmong([], some)).toEqual([])
  })

  it('makes a name of words alone that are none yet', () => {
    expect(['panel-ports', 'panel ports', 'RAMP-HMI2'].map((t) => couldBeName(t, 'service', names))).toEqual([
      true,
      true,
      true,
    ])
    expect(['any', 'tcp/8460', 'ntp', '8460', ''].some((t) => couldBeName(t, 'service', names))).toBe(false)
    expect(['10.44.0.0/16', 'fd44::1', 'ramp-hmi'].some((t) => couldBeName(t, 'source', names))).toBe(false)
    expect(couldBeName('ntp', 'source', names)).toBe(true)
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
