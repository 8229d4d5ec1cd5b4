import { describe, expect, it, vi } from 'vitest'
import { effectScope } from 'vue'
import type { Shapes } from '@/api/client'
import { change, consequence, policyEffect, ref } from '@/examples'
import { useConsequence } from '@/editing/consequence'
import {
  comeAndGo,
  type Consequence,
  deciders,
  grouped,
  inLines,
  otherPlaces,
  runs,
  sentence,
  starved,
  verdict,
} from '@/editing/changes'

const policy = policyEffect
const told = (...policies: Partial<Shapes['PolicyEffect']>[]): Consequence =>
  consequence({ policies: policies.map(policy) })

describe('a consequence in words', () => {
  it('says what opens, and that nothing closes only where that is known', () => {
    expect(grouped(policy({})).map((g) => [g.word, g.changes.length])).toEqual([
      ['Opens', 1],
      ['Closes', 0],
    ])
    expect(grouped(policy({ complete: false })).map((g) => g.word)).toEqual(['Opens'])
    expect(grouped(policy({ more: 3 })).map((g) => g.word)).toEqual(['Opens'])
    expect(grouped(policy({ equal: true, changes: [] }))).toEqual([])
  })

  it('calls the same proven only where every policy is', () => {
    expect(verdict(told({ equal: true, changes: [] }))).toBe('Same effect, proven.')
    expect(verdict(told({ equal: true, changes: [] }, {}))).toBe('')
    expect(verdict(told({ equal: null, complete: false, changes: [] }))).toBe('Not settled yet what changes.')
    expect(verdict(told({ complete: false }))).toBe('Exact so far; more may change.')
  })

  it('names rules, states and logs', () => {
    expect(sentence(change({ states: ['new'] }))).toBe('a → b : https as new')
    expect(deciders(change({ before: ref(null, 'default') }))).toBe('before: otherwise · after: 1 r1')
    expect(deciders(change({ logged_after: true }))).toContain('· logged')
    expect(deciders(change({ logged_before: true }))).toContain('· no longer logged')
  })

  it('tells the runs of places', () => {
    const advice = { all_until: 2, some_until: 4, best: 2, starves: [{ rule: ref(3), until: 3 }] }
    expect(runs(advice, 6)).toEqual([
      { from: 1, to: 2, decides: 'all' },
      { from: 3, to: 4, decides: 'part' },
      { from: 5, to: 6, decides: 'none' },
    ])
    expect(runs({ ...advice, all_until: 6, some_until: 6 }, 6)).toEqual([{ from: 1, to: 6, decides: 'all' }])
    expect(otherPlaces(advice, 5)).toBe('1–2 decides all · 3–4 a part · 5 nothing')
    expect(starved(advice, 3)).toBe('Takes all that r3 decides now.')
    expect(starved(advice, 4)).toBe('')
  })
})

describe('a consequence in a few lines', () => {
  it('tells the first changes, how many there are besides, and whether that is all', () => {
    const [line, more] = inLines(told({ changes: [change({}), change({})], name: 'ramps' }), 1)
    expect(line).toContain(`Opens ${sentence(change({}))}; ${deciders(change({}))} (ramps).`)
    expect(more).toBe('And 1 more.')
    expect(inLines(told({ complete: false, more: 3 })).slice(1)).toEqual([
      'And 3 more.',
      'Exact so far; more may change.',
    ])
  })
  it('says that nothing changes only where that is proven', () => {
    expect(inLines(told({ equal: true, changes: [] }))).toEqual(['Same effect, proven.'])
    expect(inLines(told({ equal: null, complete: false, changes: [] }))).toEqual([
      'Not settled yet what changes.',
    ])
    const problem = { place: 'to', path: ['to'], message: 'say what it becomes' }
    expect(inLines(consequence({ policies: [], problems: [problem] }))).toEqual(['say what it becomes'])
  })
})

describe('the latest question', () => {
  it('wins, and what is older is never shown', async () => {
    const answers: ((text: string) => void)[] = []
    const aborted = vi.fn()
    const scope = effectScope()
    const { told, stale, about } = scope.run(() =>
      useConsequence('test', (_, __: string, signal) => {
        signal.addEventListener('abort', aborted)
        return new Promise<string>((done) => answers.push(done))
      }),
    )!
    const first = about('first')
    const second = about('second')
    expect(aborted).toHaveBeenCalledTimes(1)
    answers[1]!('second')
    await second
    expect([told.value, stale.value]).toEqual(['second', false])
    answers[0]!('first')
    await first
    expect(told.value).toBe('second')
    const third = about('third')
    expect([told.value, stale.value]).toEqual(['second', true])
    void about(null)
    answers[2]!('third')
    await third
    expect([told.value, stale.value]).toEqual([null, false])
    scope.stop()
  })
})

describe('what is not settled', () => {
  const part = { policies: [{ complete: false }] }
  const whole = { policies: [{ complete: true }] }
  async function asked(...answers: object[]) {
    const patience: number[] = []
    const scope = effectScope()
    const { told, about } = scope.run(() =>
      useConsequence('test', (asking) => {
        patience.push(asking.patience)
        return Promise.resolve(answers[patience.length - 1]!)
      }),
    )!
    await about('edit')
    scope.stop()
    return [told.value, patience]
  }

  it('is asked again with more patience, up to an end', async () => {
    expect(await asked(whole)).toEqual([whole, [0.08]])
    expect(await asked(part, whole)).toEqual([whole, [0.08, 0.25]])
    expect(await asked(part, part, part, part)).toEqual([part, [0.08, 0.25, 1, 8]])
  })

  it('is asked again until it is known what happens in the network, too', async () => {
    const lists = { ...whole, ground: true, network: null }
    const both = { ...lists, network: { complete: true } }
    expect(await asked(lists, both)).toEqual([both, [0.08, 0.25]])
    expect(await asked({ ...lists, ground: false })).toEqual([{ ...lists, ground: false }, [0.08]])
    expect(await asked({ problems: [{}], ground: true, network: null })).toHaveLength(2)
  })

  it('is not asked again once another question is', async () => {
    const sent: [string, number][] = []
    const scope = effectScope()
    const { told, about } = scope.run(() =>
      useConsequence('test', async (asking, body: string) => {
        sent.push([body, asking.patience])
        return body === 'first' ? part : whole
      }),
    )!
    await Promise.all([about('first'), about('second')])
    expect(sent).toEqual([
      ['first', 0.08],
      ['second', 0.08],
    ])
    expect(told.value).toEqual(whole)
    scope.stop()
  })
})

describe('findings that come and go', () => {
  const finding = (kind: string, rule: string) => ({
    kind,
    rule,
    weight: 'warning' as const,
    policy: 'p',
    text: '',
    by: [],
    name: null,
    field: null,
    members: [],
    when: '',
    accepted: null,
  })
  it('tells each way in a line, nothing where nothing does', () => {
    expect(comeAndGo({ come: [], go: [] })).toEqual([])
    expect(
      comeAndGo({
        come: [finding('redundant', 'b')],
        go: [finding('shadowed', 'a'), finding('shadowed', 'c')],
      }),
    ).toEqual([
      { text: 'Mends a: shadowed, c: shadowed.', comes: false },
      { text: 'Brings b: redundant.', comes: true },
    ])
  })
})
