// @vitest-environment happy-dom
import { enableAutoUnmount, flushPromises } from '@vue/test-utils'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import type { LookOut } from '@/examples'
import { consequence, decided, names, row, rule } from '@/examples'
import { Problem } from '@/api/client'
import { mounted } from '@/mounted'
import type { Writing } from '@/places/rules/mode'
import RuleEditor from '@/places/rules/RuleEditor.vue'

enableAutoUnmount(afterEach)

const at = (part: Partial<Writing> = {}): Writing => ({
  is: 'writing',
  id: null,
  index: 4,
  works: false,
  rule: null,
  beside: '',
  stamp: 1,
  gone: false,
  edit: null,
  ...part,
})
const look = (part: Partial<LookOut> = {}): LookOut => ({
  position: 5,
  decided: decided({ decides: 'none' }),
  advice: { all_until: 2, some_until: 2, best: 2, starves: [] },
  expands: {},
  hints: [],
  ...part,
})

function editor(props: object = {}) {
  const save = vi.fn(() => Promise.resolve())
  const form = mounted(RuleEditor, {
    props: {
      network: 1,
      policy: 2,
      at: at(),
      now: null,
      place: { after: null, before: null },
      names,
      told: null,
      stale: false,
      save,
      ...props,
    } as never,
    global: { stubs: { MemberField: true, ScheduleChoice: true } },
  })
  const written = () => form.emitted('edit')?.at(-1)?.[0] as { act: string; rule: { action: string } } | null
  return { form, save, written }
}
const press = (form: ReturnType<typeof editor>['form']) => form.get('form').trigger('submit')

describe('a rule being written', () => {
  beforeEach(() => {
    vi.useFakeTimers()
    sessionStorage.clear()
  })
  afterEach(() => vi.useRealTimers())

  it('has no action before one is chosen, and is not saved without', async () => {
    const { form, save, written } = editor({ at: at({ rule: rule() }) })
    expect(form.findAll('input[type=radio]:checked')).toHaveLength(1) // a copy has its own
    const blank = editor()
    expect(blank.form.findAll('input[type=radio]:checked')).toHaveLength(0)
    await press(blank.form)
    expect(blank.save).not.toHaveBeenCalled()
    expect(blank.form.text()).toContain('Choose what it does: allow, drop or reject.')
    expect(blank.form.text()).toContain('A rule needs a name.')
    await vi.advanceTimersByTimeAsync(100)
    expect(blank.written()).toBeNull()
    expect(written()).toMatchObject({ act: 'insert', rule: { action: 'allow' } })
    expect(save).not.toHaveBeenCalled()
  })

  it('tells the edit it would be once somebody stops typing, and each only once', async () => {
    const { form, written } = editor({ at: at({ id: 30 }), now: row(3) })
    await form.get('#rule-name').setValue('pilots anew')
    expect(form.emitted('edit')).toBeUndefined()
    await vi.advanceTimersByTimeAsync(100)
    expect(written()).toMatchObject({ act: 'write', rule_key: 30, rule: { name: 'pilots anew' } })
    await form.setProps({
      at: at({ id: 30, edit: written() as never }),
      place: { after: null, before: null },
    })
    await vi.advanceTimersByTimeAsync(100)
    expect(form.emitted('edit')).toHaveLength(1)
  })

  it('rises to where it works until somebody chooses the place', async () => {
    const { form } = editor({ at: at({ works: true, rule: rule() }) })
    await form.setProps({ told: consequence({ look: look() }) })
    expect(form.emitted('place')).toEqual([[2]])
    const chosen = editor({ at: at({ works: false, rule: rule() }) })
    await chosen.form.setProps({ told: consequence({ look: look() }) })
    expect(chosen.form.emitted('place')).toBeUndefined()
    await chosen.form.get('[data-testid=put]').trigger('click')
    expect(chosen.form.emitted('place')).toEqual([[2]])
  })

  it('saves the version it read, and keeps what is refused', async () => {
    const refused = new Problem(422, 'no', [{ place: 'name', path: ['name'], message: 'taken' } as never])
    const save = vi.fn().mockRejectedValueOnce(refused).mockResolvedValue(undefined)
    const { form } = editor({ at: at({ id: 30 }), now: row(3, { ver: 7 }), save })
    await form.get('#rule-name').setValue('pilots anew')
    await press(form)
    await flushPromises()
    expect(form.text()).toContain('taken')
    expect(form.get<HTMLInputElement>('#rule-name').element.value).toBe('pilots anew')
    await press(form)
    expect(save.mock.calls.map((call) => call[1])).toEqual([7, 7])
  })

  it('can be added as new when somebody deleted it', async () => {
    const { form } = editor({ at: at({ id: 30 }), now: row(3) })
    await form.setProps({ at: at({ id: null, gone: true }), now: null })
    expect(form.text()).toContain('Somebody has deleted it.')
    expect(form.get('button[type=submit]').text()).toBe('Add as new')
    expect(form.text()).toContain('Discard')
  })

  it('closes by Esc, and whoever stands outside does not hear it', async () => {
    const { form } = editor()
    const hear = vi.fn()
    document.body.addEventListener('keydown', hear)
    await form.get('#rule-name').trigger('keydown', { key: 'Escape' })
    expect(form.emitted('close')).toHaveLength(1)
    expect(hear).not.toHaveBeenCalled()
    document.body.removeEventListener('keydown', hear)
  })
})
