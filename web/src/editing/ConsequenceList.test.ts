// @vitest-environment happy-dom
import { describe, expect, it } from 'vitest'
import { change, consequence, policyEffect } from '@/examples'
import { mounted } from '@/mounted'
import ConsequenceList from '@/editing/ConsequenceList.vue'

const many = (count: number) =>
  Array.from({ length: count }, (_, i) =>
    change({ source: [`s${i}`], witness: { text: `w${i}`, question: `q${i}` } }),
  )

describe('a consequence on the page', () => {
  const told = (told: ReturnType<typeof consequence> | null, more = {}) =>
    mounted(ConsequenceList, { props: { told, stale: false, ...more } })

  it('says what opens, that nothing closes, and asks the sample', async () => {
    const list = told(consequence({ policies: [policyEffect({ changes: many(1) })] }))
    expect(list.findAll('strong').map((s) => s.text())).toEqual(['Opens', 'Closes'])
    expect(list.text()).toContain('s0 → b : https')
    await list.get('button').trigger('click')
    expect(list.emitted('ask')).toEqual([['q0']])
  })

  it('counts what it leaves out, its own and the server’s', () => {
    const list = told(consequence({ policies: [policyEffect({ changes: many(5), more: 7 })] }), { few: 2 })
    expect(list.findAll('.sample')).toHaveLength(2)
    expect(list.text()).toContain('and 10 more')
  })

  it('proves that nothing changes only where that is known', () => {
    expect(told(consequence({ policies: [policyEffect({ equal: true, changes: [] })] })).text()).toContain(
      'Same effect, proven.',
    )
    const open = told(
      consequence({ policies: [policyEffect({ equal: null, complete: false, changes: [] })] }),
    )
    expect(open.text()).toBe('Not settled yet what changes.')
    expect(told(null).text()).toBe('')
  })

  it('is told to be old while a newer one is waited for, and names the policies where there are several', () => {
    const list = told(
      consequence({ policies: [policyEffect({ name: 'quay' }), policyEffect({ name: 'pier' })] }),
      {
        stale: true,
        named: true,
      },
    )
    expect(list.attributes('data-stale')).toBe('true')
    expect(list.findAll('h3').map((h) => h.text())).toEqual(['quay', 'pier'])
  })
})
