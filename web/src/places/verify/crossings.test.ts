import { describe, expect, it } from 'vitest'
import type { GroundOut } from '@/api/client'
import {
  type Cell,
  changeOf,
  countOf,
  crossingsOf,
  keyOf,
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

  it('tells a device from the segment of its name', () => {
    const told = [
      cell({ source: 'SEA', destination: 'quay' }),
      cell({ source: 'sea', destination: 'quay', itself: true }),
    ]
    const { cells } = crossingsOf(ground, told)
    expect([...cells.keys()]).toEqual([keyOf(0, 1), keyOf(0, 5)])
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
    const { rows, columns, changes } = crossingsOf(ground, [cell({})], [change], true)
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
