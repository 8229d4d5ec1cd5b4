// @vitest-environment happy-dom
import { afterEach, describe, expect, it } from 'vitest'
import { enableAutoUnmount } from '@vue/test-utils'
import { nextTick } from 'vue'
import { mounted } from '@/mounted'
import CheckBox from '@/ui/CheckBox.vue'
import ChoiceLine from '@/ui/ChoiceLine.vue'
import DateField from '@/ui/DateField.vue'
import FileField from '@/ui/FileField.vue'
import TextField from '@/ui/TextField.vue'

enableAutoUnmount(afterEach)

describe('fields', () => {
  it('has one label for each, read out or seen', () => {
    const seen = mounted(TextField, { props: { modelValue: 'x', label: 'Name' } })
    const label = seen.get('label.ui-label')
    expect(label.text()).toBe('Name')
    expect(seen.get('input').attributes('id')).toBe(label.attributes('for'))
    const quiet = mounted(TextField, { props: { modelValue: '', label: 'Why', quiet: true, rows: 2 } })
    expect(quiet.find('label.ui-label').exists()).toBe(false)
    expect(quiet.get('textarea').attributes('aria-label')).toBe('Why')
  })

  it('tells what is wrong below', async () => {
    const field = mounted(TextField, {
      props: { modelValue: '', label: 'Name', problems: ['A rule needs a name.'] },
    })
    await nextTick()
    expect(field.text()).toContain('A rule needs a name.')
  })

  it('says what was chosen, and only that', async () => {
    const items = [
      { title: 'now', value: false },
      { title: 'at a moment', value: true },
    ]
    const line = mounted(ChoiceLine<boolean>, { props: { modelValue: false, label: 'When', items } })
    expect(line.get('[role=radiogroup]').attributes('aria-label')).toBe('When')
    expect(line.get('label.on').text()).toBe('now')
    await line.findAll('input')[1]!.setValue()
    expect(line.emitted('update:modelValue')).toEqual([[true]])
    const box = mounted(CheckBox, { props: { modelValue: false }, slots: { default: 'log' } })
    await box.get('input').setValue(true)
    expect(box.emitted('update:modelValue')).toEqual([[true]])
  })

  it('reads a file that was chosen or dropped, the same one twice', async () => {
    const field = mounted(FileField, { props: { label: 'Read from a file' } })
    const file = new File(['a,b'], 'flows.csv')
    const input = field.get('input')
    Object.defineProperty(input.element, 'files', { value: [file], configurable: true })
    await input.trigger('change')
    await input.trigger('change')
    await field.get('.file').trigger('drop', { dataTransfer: { files: [file] } })
    expect(field.emitted('file')).toHaveLength(3)
    expect(field.text()).toContain('flows.csv')
  })
})

describe('a date', () => {
  const dated = (modelValue: string, more = {}) =>
    mounted(DateField, { props: { modelValue, label: 'Until', ...more } })

  it('is none until it is whole, and nothing half written is taken', async () => {
    const field = dated('2026-11-27')
    const input = field.get('input')
    await input.setValue('2026-11-3')
    await input.setValue('2026-11-31')
    expect(field.get('[role=alert]').text()).toContain('Write it as 2026-11-27')
    expect(input.attributes('aria-invalid')).toBe('true')
    await input.setValue('')
    expect(field.emitted('update:modelValue')).toEqual([['2026-11-03'], ['']])
    expect(field.find('[role=alert]').exists()).toBe(false)
  })

  it('is stepped by the arrows, over the end of a month, and keeps the time of day', async () => {
    const field = dated('2026-02-28 23:30', { time: true })
    await field.get('input').trigger('keydown', { key: 'ArrowUp' })
    await field.get('input').trigger('keydown', { key: 'ArrowDown' })
    expect(field.emitted('update:modelValue')).toEqual([['2026-03-01 23:30'], ['2026-02-28 23:30']])
  })

  it('is taken from a month, which Esc closes and nothing else', async () => {
    const field = dated('2026-11-27')
    await field.get('button').trigger('click')
    expect(field.get('.turns strong').text()).toBe('November 2026')
    await field.get('[aria-label="the month after"]').trigger('click')
    await field.get('[aria-label="24 December 2026"]').trigger('click')
    expect(field.emitted('update:modelValue')).toEqual([['2026-12-24']])
    expect(field.find('.month').exists()).toBe(false)
    await field.get('button').trigger('click')
    const heard: unknown[] = []
    const hear = (event: Event) => heard.push(event)
    document.body.addEventListener('keydown', hear)
    await field.get('input').trigger('keydown', { key: 'Escape' })
    expect(field.find('.month').exists()).toBe(false)
    expect(heard).toEqual([])
    await field.get('input').trigger('keydown', { key: 'Escape' })
    expect(heard).toHaveLength(1)
    document.body.removeEventListener('keydown', hear)
  })

  it('says by whose clock', () => {
    expect(dated('', { time: true, zone: 'Europe/Lisbon' }).text()).toContain('Europe/Lisbon')
  })
})
