// @vitest-environment happy-dom
import { describe, expect, it } from 'vitest'
import LineCode from '@/chart/LineCode.vue'
import type { Course } from '@/chart/courses'
import { mounted } from '@/mounted'

describe('the line code', () => {
  it('is told apart without colour: by name, and by what is drawn', () => {
    const drawn = (['allow', 'drop', 'reject', 'undecided'] as Course[]).map((course) => {
      const svg = mounted(LineCode, { props: { course } }).get('svg[role=img]')
      return [svg.attributes('aria-label'), svg.element.innerHTML] as const
    })
    expect(drawn.map(([name]) => name)).toEqual(['allowed', 'dropped', 'rejected', 'undecided'])
    expect(new Set(drawn.map(([, picture]) => picture)).size).toBe(4)
  })

  it('writes the service and the moments on the line', () => {
    const line = mounted(LineCode, { props: { course: 'allow', label: 'https', when: 'boarding' } })
    expect(line.text()).toBe('httpswhile boarding')
  })
})
