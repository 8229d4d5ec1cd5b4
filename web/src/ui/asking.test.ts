// @vitest-environment happy-dom
import { flushPromises } from '@vue/test-utils'
import { describe, expect, it, vi } from 'vitest'
import { asked, sure } from '@/ui/asking'
import { mounted } from '@/mounted'
import AskSheet from '@/ui/AskSheet.vue'

const QUESTION = { title: 'Delete quay-0?', yes: 'Delete', no: 'Cancel' }
const later = () => new Promise((resolve) => setTimeout(resolve))

describe('a question', () => {
  it('is not there within the key press that asks it', async () => {
    const answer = sure(QUESTION)
    await Promise.resolve()
    expect(asked.value).toBeNull()
    await later()
    asked.value!.answer(true)
    expect(await answer).toBe(true)
    expect(asked.value).toBeNull()
  })

  it('gives way to a newer one, which is a no', async () => {
    const first = sure(QUESTION)
    await later()
    const second = sure({ ...QUESTION, title: 'Delete quay-1?' })
    expect(await first).toBe(false)
    await later()
    expect(asked.value!.title).toBe('Delete quay-1?')
    asked.value!.answer(false)
    expect(await second).toBe(false)
  })

  it('is a sheet with its name, and gives the focus back', async () => {
    vi.stubGlobal('requestAnimationFrame', (act: () => void) => setTimeout(act))
    vi.stubGlobal('visualViewport', new EventTarget())
    const button = document.body.appendChild(document.createElement('button'))
    button.focus()
    const sheet = mounted(AskSheet)
    const answer = sure(QUESTION)
    await later()
    await flushPromises()
    const dialog = document.querySelector('[role=alertdialog]')!
    const named = document.getElementById(dialog.getAttribute('aria-labelledby')!)
    expect(named?.textContent).toBe('Delete quay-0?')
    expect(document.activeElement?.textContent).toContain('Delete')
    ;[...dialog.querySelectorAll('button')].find((b) => b.textContent?.includes('Cancel'))!.click()
    expect(await answer).toBe(false)
    await flushPromises()
    await later()
    expect(document.activeElement).toBe(button)
    sheet.unmount()
    vi.unstubAllGlobals()
  })
})
