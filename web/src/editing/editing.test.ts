// @vitest-environment happy-dom
import { flushPromises, mount } from '@vue/test-utils'
import { createPinia, setActivePinia } from 'pinia'
import { beforeEach, describe, expect, it } from 'vitest'
import { defineComponent, nextTick, reactive } from 'vue'
import { Problem } from '@/api/client'
import { useEditing } from '@/editing/editing'

interface Thing {
  name: string
  members: string[]
  log: boolean
}
const start = (): Thing => ({ name: 'kiosks', members: ['a'], log: false })

/** A form for a thing that others may change: `there` is what they see. */
function form(more: { gone?: boolean } = {}) {
  const there = reactive({ thing: start(), ver: 1, gone: more.gone ?? false })
  let editing!: ReturnType<typeof useEditing<Thing>>
  const component = defineComponent({
    setup() {
      editing = useEditing<Thing>({
        read: () => JSON.parse(JSON.stringify(there.thing)) as Thing,
        ver: () => there.ver,
        place: () => 'thing 1',
        gone: () => there.gone,
        plain: (draft) => ({ ...draft, name: draft.name.trim() }),
      })
      return () => null
    },
  })
  const wrapper = mount(component)
  return { there, editing, wrapper }
}

describe('something being edited', () => {
  beforeEach(() => {
    setActivePinia(createPinia())
    sessionStorage.clear()
  })

  it('is changed by what counts alone', async () => {
    const { editing, there } = form()
    editing.draft.name = 'kiosks '
    expect(editing.dirty.value).toBe(false)
    editing.draft.name = 'booths'
    expect(editing.dirty.value).toBe(true)
    editing.draft.name = 'kiosks'
    there.gone = true
    expect(editing.dirty.value).toBe(true)
  })

  it('takes in what others save, keeps what is written here, and says both', async () => {
    const { editing, there } = form()
    editing.draft.name = 'booths'
    there.thing = { name: 'stands', members: ['a', 'b'], log: true }
    there.ver = 2
    await nextTick()
    expect(editing.draft).toEqual({ name: 'booths', members: ['a', 'b'], log: true })
    expect(editing.meanwhile.value).toBe(
      'It was changed by somebody else meanwhile. Taken in: members, log. They set name to “stands”. Saving replaces that by what you wrote.',
    )
    expect(editing.base.value.ver).toBe(2)
  })

  it('says nothing of what others save where nothing is written', async () => {
    const { editing, there } = form()
    there.thing = { ...start(), log: true }
    there.ver = 2
    await nextTick()
    expect(editing.draft.log).toBe(true)
    expect(editing.meanwhile.value).toBe('')
  })

  it('comes through a reload with the version it was read at', async () => {
    const first = form()
    first.editing.draft.name = 'booths'
    await nextTick()
    const kept = { ...sessionStorage }
    first.wrapper.unmount() // as closing the form does, which forgets it; a reload does not
    expect(Object.keys(sessionStorage)).toEqual([])
    for (const [key, value] of Object.entries(kept)) sessionStorage.setItem(key, value as string)
    const { editing } = form()
    expect(editing.draft.name).toBe('booths')
    expect(editing.resumed.value).toBe(true)
    expect(editing.base.value.ver).toBe(1)
  })

  it('tells what was refused at its place until something is written, and does one thing at a time', async () => {
    const { editing } = form()
    const problem = { place: 'name', path: ['name'], message: 'taken' } as never
    let calls = 0
    const refuse = async () => {
      calls++
      await Promise.resolve()
      throw new Problem(422, 'no', [problem])
    }
    void editing.act(refuse)
    await editing.act(refuse)
    await flushPromises()
    expect(calls).toBe(1)
    expect(editing.problems.value).toEqual([problem])
    expect(editing.failure.value).toBe('')
    editing.draft.name = 'booths'
    await nextTick()
    expect(editing.problems.value).toEqual([])
    await editing.act(() => Promise.reject(new Problem(409, 'changed meanwhile')))
    expect(editing.failure.value).toBe('changed meanwhile')
    await expect(editing.act(() => Promise.reject(new Error('a fault of ours')))).rejects.toThrow('a fault')
    expect(editing.busy.value).toBe(false)
  })
})
