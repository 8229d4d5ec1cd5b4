import { describe, expect, it } from 'vitest'
import { type RuleRow } from '@/api/client'
import { gapAtLine, linesOf, sectionAt, swapped } from '@/places/rules/lines'

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
