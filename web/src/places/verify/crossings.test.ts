import { describe, expect, it } from 'vitest'
import type { GroundOut } from '@/api/client'
import {
  type Cell,
  changeOf,
  countOf,
  crossingsOf,
  keyOf,
  mentionOf,
  sentenceOf,
  turnOf,
} from '@/places/verify/crossings'

const cell = (part: Partial<Cell>): Cell => ({
  source: 'quay',
  destination: 'plant',
  itself: false,
  verdict: 'some',
  services: ['https'],
  more: 0,
  by_some_ways: [],
  undetermined: [],
  unanswered: [],
  ...part,
})
const ground = {
  zones: [
    { thing: { name: 'control', depth: 5 } },
    { thing: { name: 'guests', depth: 1 } },
    { thing: { name: 'out', depth: 0 } },
    { thing: { name: 'partners', depth: 1 } },
  ],
  segments: ['plant', 'loose', 'quay', 'sea', 'pier'].map((name) => ({ thing: { name } })),
  devices: [
    {
      thing: { name: 'quay' },
      interfaces: [
        { thing: { segment: 'Plant', zone: 'control' } },
        { thing: { segment: 'quay', zone: 'guests' } },
        { thing: { segment: 'sea', zone: 'out' } },
        { thing: { segment: 'pier', zone: 'partners' } },
      ],
    },
  ],
} as unknown as GroundOut

describe('the crossing chart', () => {
  it('goes from the outermost to the deepest, devices last, what no device is on before them', () => {
    const chart = crossingsOf(ground, [])
    expect(chart.rows.map((line) => line.name)).toEqual(['sea', 'quay', 'pier', 'plant', 'loose'])
    expect(chart.columns.at(-1)).toMatchObject({ name: 'quay', itself: true })
    expect(chart.bands.map((band) => [band.zone, band.from, band.count])).toEqual([
      ['out', 0, 1],
      ['guests, partners', 1, 2],
      ['control', 3, 1],
      ['on no device', 4, 1],
    ])
  })

  it('folds a zone into one line, told as what its segments come to', () => {
    const wide = {
      ...ground,
      devices: [
        {
          thing: { name: 'lock' },
          interfaces: ['quay', 'pier', 'plant'].map((segment) => ({
            thing: { segment, zone: segment === 'plant' ? 'control' : 'guests' },
          })),
        },
      ],
    } as unknown as GroundOut
    const told = [
      cell({ source: 'quay', services: ['https'] }),
      cell({ source: 'pier', services: ['https', 'ssh'], family: '6' }),
      cell({ source: 'pier', destination: 'quay', verdict: 'all', services: ['any'] }),
    ]
    const { rows, cells } = crossingsOf(wide, told, [], { folded: new Set(['guests']) })
    expect(rows.map((line) => line.name)).toEqual(['guests ×2', 'plant', 'loose', 'sea'])
    expect(rows[0]!.members).toEqual(['quay', 'pier'])
    expect(sentenceOf(cells.get(keyOf(0, 1))!)).toBe('between 2 of 2 pairs https, ssh')
    expect(cells.get(keyOf(0, 0))).toMatchObject({ verdict: 'some', of: [1, 2] })
  })

  it('tells what arrives and is not answered apart from what works', () => {
    const lost = cell({ verdict: 'none', services: [], unanswered: ['https'] })
    expect(turnOf(lost)).toBe('lost')
    expect(sentenceOf(lost)).toBe('arrives and is not answered: https')
  })

  it('says of a pair in which family and when alone it works', () => {
    expect(sentenceOf(cell({ family: '4', at_times: 'while boarding' }))).toBe(
      'https, over IPv4 only, while boarding',
    )
  })

  it('tells a device from the segment of its name', () => {
    const told = [
      cell({ source: 'SEA', destination: 'quay' }),
      cell({ source: 'sea', destination: 'quay', itself: true }),
    ]
    const { cells } = crossingsOf(ground, told)
    expect([...cells.keys()]).toEqual([keyOf(0, 1), keyOf(0, 5)])
  })

  it('marks what must hold, and shows that alone if that is wanted', () => {
    const must = { source: 'sea', destination: 'quay', itself: false, names: ['a', 'b'], bad: ['b'] }
    const told = [cell({ source: 'sea', destination: 'quay' }), cell({ source: 'sea', destination: 'plant' })]
    expect([...crossingsOf(ground, told, [], {}, [must]).mentions.keys()]).toEqual([keyOf(0, 1)])
    const { rows, cells, mentions } = crossingsOf(ground, told, [], { expected: true }, [must])
    expect(rows.map((line) => line.name)).toEqual(['sea', 'quay'])
    expect([...cells.keys()]).toEqual([keyOf(0, 1)])
    expect(mentionOf(mentions.get(keyOf(0, 1))!)).toBe('does not hold, or nobody knows: “b”; must hold: “a”')
    expect(mentionOf({ ...must, bad: [] })).toBe('must hold: “a”, “b”')
  })

  it('places what the draft changes, and leaves out what it does not touch if that is wanted', () => {
    const change = {
      source: 'quay',
      destination: 'quay',
      itself: true,
      opens: ['https'],
      closes: ['ping'],
      otherwise: [],
    }
    expect([...crossingsOf(ground, [], [change]).changes.keys()]).toEqual([keyOf(1, 5)])
    const { rows, columns, changes } = crossingsOf(ground, [cell({})], [change], { only: true })
    expect(rows.map((line) => line.name)).toEqual(['quay'])
    expect(columns.map((line) => line.itself)).toEqual([false, true])
    expect(changes.get(keyOf(0, 1))).toEqual(change)
    expect(changeOf(change)).toBe('the draft opens https; closes ping')
    expect(changeOf({ ...change, opens: [], closes: [], otherwise: ['dns'] })).toBe(
      'the draft makes dns more or less sure',
    )
  })

  it('says what works, how the line turns, and how many services where that can be counted', () => {
    const all = cell({ verdict: 'all', services: ['any'] })
    expect([sentenceOf(all), turnOf(all), countOf(all)]).toEqual(['everything', 'all', ''])
    const some = cell({ services: ['https', 'ping'], more: 2 })
    expect([sentenceOf(some), turnOf(some), countOf(some)]).toEqual(['https, ping and 2 more', 'some', '4'])
    expect(countOf(cell({ services: ['any except ping'] }))).toBe('')
    const ways = cell({ services: [], by_some_ways: ['https'] })
    expect([sentenceOf(ways), turnOf(ways)]).toEqual(['by some ways only https', 'ways'])
    const open = cell({ verdict: 'undetermined', services: [], undetermined: ['any'] })
    expect([sentenceOf(open), turnOf(open)]).toEqual(['nobody knows of any', 'unknown'])
  })
})
