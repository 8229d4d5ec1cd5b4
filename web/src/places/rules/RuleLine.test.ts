// @vitest-environment happy-dom
import { describe, expect, it } from 'vitest'
import { row, rule } from '@/examples'
import { mounted } from '@/mounted'
import RuleLine from '@/places/rules/RuleLine.vue'

const line = (...part: Parameters<typeof row>) =>
  mounted(RuleLine, {
    props: { row: row(...part), selected: false, lifted: false, tabbable: true, writable: true },
  })
const shadowed = {
  decides: 'none',
  kind: 'shadowed',
  cause: 'earlier',
  by: [{ id: 10, name: 'r1', position: 1 }],
  by_count: 1,
  works: { all_until: 1, some_until: 1, best: 1, starves: [] },
} as const

describe('a rule as a row', () => {
  it('has cells alone in it, and one stop where it is the list’s', () => {
    const shown = line(3, { ...shadowed, by: [...shadowed.by], works: { ...shadowed.works, starves: [] } })
    const own = shown.get('[role=row]')
    expect(own.attributes('aria-rowindex')).toBe('3')
    expect(own.attributes('tabindex')).toBe('0')
    const inside = [...own.element.children].flatMap((child) =>
      child.classList.contains('rule-cells') ? [...child.children] : [child],
    )
    expect(inside.map((cell) => cell.getAttribute('role'))).toEqual(inside.map(() => 'gridcell'))
    expect(shown.findAll('[tabindex="0"]')).toHaveLength(1)
  })

  it('says what takes it and where it works, and moves there', async () => {
    const shown = line(3, { ...shadowed, by: [...shadowed.by], works: { ...shadowed.works, starves: [] } })
    expect(shown.text().replace(/\s+/g, ' ')).toContain(
      'Shadowed. 1 takes all of it. Works at 1. Move it to 1',
    )
    await shown.get('button').trigger('click')
    expect(shown.emitted('move')).toEqual([[1]])
    expect(shown.emitted('click')).toBeUndefined() // it does not choose the row as well
  })

  it('never hides how many more sources there are', () => {
    const shown = line(1, { rule: rule({ source: ['a', 'b', 'c', 'd'], negate: ['source'] }) })
    expect(shown.get('.from').text()).toMatch(/^all but a,\s*b \+2$/)
  })
})
