// @vitest-environment happy-dom
import { createPinia, setActivePinia } from 'pinia'
import { beforeEach, describe, expect, it } from 'vitest'
import { mount } from '@vue/test-utils'
import { ref } from 'vue'
import { row } from '@/examples'
import { useUnsaved } from '@/editing/unsaved'
import { editInHand, type Mode, useMode, type Writing } from '@/places/rules/mode'
import { asked } from '@/ui/asking'

const rows = [1, 2, 3, 4].map((position) => row(position))
const later = () => new Promise((resolve) => setTimeout(resolve))
const LOOKING = { is: 'looking' } as const
const writing: Writing = {
  is: 'writing',
  id: null,
  index: 1,
  works: false,
  rule: null,
  beside: '',
  stamp: 1,
  gone: false,
  edit: { act: 'delete', rules: [1] },
}

describe('the edit in hand', () => {
  const hand = (mode: Mode, cursor: number | 'otherwise' | null = 20) => editInHand(mode, rows, cursor)

  it('is of what is done now, whatever lies under it', () => {
    const carrying: Mode = { is: 'carrying', id: 10, gap: 3, byKeys: false, under: writing }
    expect(hand(carrying)).toEqual({ act: 'move', rules: [10], place: { after: 30, before: 40 } })
    expect(hand({ is: 'deleting', row: rows[2]!, under: writing })).toEqual({ act: 'delete', rules: [30] })
    expect(hand(writing)).toBe(writing.edit)
    expect(hand({ ...writing, edit: null })).toBeNull()
    expect(hand({ is: 'section', naming: {} as never, under: writing })).toBeNull()
  })

  it('is of several in the order of the list, not of choosing', () => {
    const several = { is: 'several' as const, picked: new Set([40, 10]), edit: null }
    expect(hand(several)).toEqual({ act: 'delete', rules: [10, 40] })
    const edit = { act: 'amend' as const, rules: [10, 40], says: { log: true } }
    expect(hand({ ...several, edit })).toEqual(edit)
  })

  it('is that of switching what is looked at, if it is a rule', () => {
    expect(hand(LOOKING)).toEqual({ act: 'switch', rules: [20], enabled: false })
    for (const at of ['otherwise', null, 999] as const) expect(hand(LOOKING, at)).toBeNull()
    expect(hand({ is: 'tidying' })).toBeNull()
  })
})

describe('one thing at a time', () => {
  beforeEach(() => setActivePinia(createPinia()))

  it('gives way to what is done on top, and is there again after it', () => {
    const { mode, base, over, back, several } = useMode()
    several(new Set([10, 20]))
    over({ is: 'deleting', row: rows[0]! })
    expect(mode.value.is).toBe('deleting')
    expect(base.value.is).toBe('several')
    several(new Set([10])) // one was deleted meanwhile: the question stays
    expect(mode.value.is).toBe('deleting')
    back()
    expect(mode.value).toEqual(LOOKING)
  })

  it('changes what is written in its place, under something else too', () => {
    const { mode, base, reset, writing: made, amend, over, back } = useMode()
    reset(made({ id: 20, index: 1 }))
    over({ is: 'carrying', id: 10, gap: 0, byKeys: true })
    amend({ id: null, gone: true })
    expect(base.value).toMatchObject({ is: 'writing', id: null, gone: true })
    back()
    expect(mode.value).toMatchObject({ gone: true })
    reset()
    amend({ index: 3 })
    expect(mode.value).toEqual(LOOKING)
  })

  it('asks before something written is left, and only then', async () => {
    const { mode, to, reset, writing: made } = useMode()
    const dirty = ref(false)
    const form = mount({
      setup() {
        useUnsaved(
          () => 'here',
          () => dirty.value,
          () => 'x',
        )
        return () => null
      },
    })
    const first = made({ id: null, index: 0 })
    const second = made({ id: null, index: 0 })
    expect(first.stamp).not.toBe(second.stamp)
    reset(first)
    expect(await to(second)).toBe(true)
    dirty.value = true
    for (const yes of [false, true]) {
      const gone = to(LOOKING)
      await later()
      expect(asked.value?.title).toContain('not saved')
      asked.value!.answer(yes)
      expect(await gone).toBe(yes)
      expect(mode.value.is).toBe(yes ? 'looking' : 'writing')
    }
    form.unmount()
  })
})
