// @vitest-environment happy-dom
import { describe, expect, it } from 'vitest'
import { change, consequence, policyEffect, networkEffect } from '@/examples'
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

  it('tells both ranges, and the same effect only where both are in', () => {
    const same = { policies: [policyEffect({ equal: true, changes: [] })], ground: true }
    expect(told(consequence(same)).text()).toBe('Not known yet what changes in the network.')
    expect(told(consequence({ ...same, network: networkEffect() })).text()).toBe('Same effect, proven.')
    const opens = consequence({
      ground: true,
      network: networkEffect({ stops: ['at no guests (lock, inbound)'] }),
    })
    expect(told(opens).text()).toContain('In the network')
    expect(told(opens).text()).toContain('Nobody reaches more or less than before.')
    expect(told(opens).text()).toContain('What it opens still ends at no guests (lock, inbound).')
    const more = networkEffect({
      equal: false,
      complete: false,
      more: 3,
      changes: [
        {
          change: 'closes',
          fares: '',
          source: ['a'],
          destination: ['b'],
          service: ['dns'],
          when: '',
          witness: { text: 'w', question: 'a to b' },
        },
      ],
    })
    const list = told(consequence({ policies: [], ground: true, network: more }))
    expect(list.text()).toContain('Closes')
    expect(list.text()).toContain('a → b : dns')
    expect(list.text()).toContain('and 3 more')
    expect(list.text()).toContain('Exact so far; more may change.')
    const open = networkEffect({ equal: null, complete: false })
    expect(told(consequence({ policies: [], ground: true, network: open })).text()).toContain(
      'Not worked out yet',
    )
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
