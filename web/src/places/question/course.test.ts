import { describe, expect, it } from 'vitest'
import type { GroundOut, PartOut } from '@/api/client'
import { asText, crossings, endOf, marksOf, sameWay, stripOf, type Place } from '@/places/question/course'

const place = (part: Partial<Place>): Place => ({
  device: 'north',
  device_id: 1,
  where: 'passage',
  at: 'passage, out → in',
  entering: 'q',
  leaving: 'i',
  step: null,
  told: '',
  seen: null,
  became: null,
  ...part,
})
const step = (action: 'allow' | 'drop', rule: string | null = 'no files') => ({
  device: 'north',
  stage: 'passage',
  policy: 'strict',
  policy_id: 3,
  rule,
  rule_id: 30,
  position: rule ? 4 : null,
  action,
})
const part = (over: Partial<PartOut> & { there: Place[]; back?: Place[] }): PartOut =>
  ({
    result: 'delivered',
    symptom: 'reached',
    sources: ['desk'],
    destinations: ['files'],
    missing: null,
    ...over,
    course: {
      source: 'desk',
      destination: 'files',
      service: 'tcp/445',
      source_segment: 'quay',
      destination_segment: 'island',
      there: over.there,
      back: over.back ?? [],
    },
  }) as PartOut

const interfaces = (...names: [string, string, string][]) =>
  names.map(([name, zone, segment], id) => ({ id, ver: 1, thing: { name, zone, segment } }))
const ground = {
  zones: [
    { id: 1, ver: 1, thing: { name: 'out', depth: 0 } },
    { id: 2, ver: 1, thing: { name: 'in', depth: 2 } },
  ],
  segments: [
    { id: 11, ver: 1, thing: { name: 'quay', prefixes: ['10.44.1.0/24'] } },
    { id: 12, ver: 1, thing: { name: 'Island', prefixes: ['10.44.3.0/24'] } },
  ],
  devices: ['north', 'south'].map((name, i) => ({
    id: 20 + i,
    ver: 1,
    thing: { name },
    translate_destination: [],
    translate_source: [],
    steering: [],
    interfaces: interfaces(['q', 'out', 'quay'], ['i', 'in', 'island']),
  })),
} as unknown as GroundOut

const passed = [place({ where: 'route', told: 'island itself by i' }), place({ step: step('allow') })]

describe('the course of a flow', () => {
  it('takes the places of one device for one crossing, and a second visit for another', () => {
    const back = place({ entering: 'i', leaving: 'q' })
    expect(crossings([...passed, back]).map((c) => c.entering)).toEqual(['q', 'i'])
    expect(crossings([place({ device: 'hosts' })])).toEqual([])
  })

  it('lies between the wires in their waters', () => {
    const { legs, locks, width } = stripOf(ground, part({ there: passed }), 'there', 800)
    expect(legs.map((l) => [l.name, l.zone, l.depth, l.beyond])).toEqual([
      ['quay', 'out', 0, false],
      ['Island', 'in', 1, false],
    ])
    expect(locks).toEqual([{ id: 20, name: 'north', x: 400 }])
    expect(width).toBe(800)
    expect(stripOf(ground, part({ there: passed }), 'there', 300).width).toBe(600)
  })

  it('shows where it was meant to go when it is stopped before', () => {
    const far = { ...place({ leaving: null }), step: step('drop') }
    const stopped = part({ result: 'dropped', there: [{ ...far, where: 'inbound' }] })
    expect(stripOf(ground, stopped, 'there', 900).legs.map((l) => [l.name, l.beyond])).toEqual([
      ['quay', false],
      ['', false],
      ['Island', true],
    ])
    const itself = part({ result: 'dropped', there: [{ ...far, where: 'to the device' }] })
    expect(stripOf(ground, itself, 'there', 900).legs.map((l) => l.name)).toEqual(['quay', ''])
  })

  it('numbers the places, those of an interface at its side', () => {
    const there = [place({ where: 'inbound', step: step('allow') }), ...passed, place({ where: 'outbound' })]
    const shown = part({ result: 'dropped', there: [...there, place({ step: step('drop') })] })
    const marks = marksOf(stripOf(ground, shown, 'there', 800), shown)
    expect(marks.map((m) => m.number)).toEqual([1, 2, 3, 4, 5])
    expect(marks.map((m) => m.beside)).toEqual([true, false, false, true, false])
    expect(marks.map((m) => m.stops)).toEqual([false, false, false, false, true])
    expect(marks[0]!.x).toBeLessThan(marks[1]!.x)
    expect(marks[3]!.x).toBeGreaterThan(marks[4]!.x)
  })

  it('tells an answer that takes another way, drawn from right to left', () => {
    const home = place({ where: 'answer', entering: 'i', leaving: 'q', told: 'knows the conversation' })
    expect(sameWay(part({ there: passed, back: [home] }))).toBe(true)
    const other = part({ there: passed, back: [{ ...home, device: 'south' }] })
    expect(sameWay(other)).toBe(false)
    const { legs, locks } = stripOf(ground, other, 'back', 800)
    expect(legs.map((l) => l.name)).toEqual(['quay', 'Island'])
    expect(locks.map((l) => l.name)).toEqual(['south'])
  })

  it('reads as text what it draws', () => {
    const lost = part({
      result: 'unanswered',
      symptom: 'silence',
      missing: 'the answer finds no route at south',
      there: passed,
      back: [
        place({ device: 'south', where: 'answer', at: 'i → q', told: 'the answer finds no route at south' }),
      ],
    })
    expect(asText('desk to files', 'blocked', lost).split('\n')).toEqual([
      'desk to files: blocked',
      'desk to files on tcp/445',
      '1. north, passage, out → in: island itself by i',
      '2. north, passage, out → in: let through by 4 no files in strict',
      'the answer:',
      '   south, i → q: the answer finds no route at south',
      'arrives, but the answer finds no route at south; who asks notices silence',
    ])
    expect(endOf(part({ there: [] }))).toBe('arrives, and passes no device')
  })
})
