// @vitest-environment happy-dom
import { createPinia, setActivePinia } from 'pinia'
import { beforeEach, describe, expect, it } from 'vitest'
import { nextTick } from 'vue'
import { usePins } from '@/frame/pins'

describe('pinned questions', () => {
  beforeEach(() => {
    setActivePinia(createPinia())
    localStorage.clear()
  })

  it('are kept for each network, a dozen at most, the newest', async () => {
    const pins = usePins()
    pins.open(1)
    for (let i = 0; i < 14; i++) pins.toggle(` q${i} `)
    await nextTick()
    expect(pins.questions).toEqual(Array.from({ length: 12 }, (_, i) => `q${i + 2}`))
    pins.toggle('q5')
    pins.toggle('   ')
    await nextTick()
    expect(pins.questions).toHaveLength(11)
    pins.open(2)
    expect(pins.questions).toEqual([])
    pins.open(1)
    expect(pins.questions).not.toContain('q5')
  })

  it('survive a store that somebody else wrote into', () => {
    localStorage.setItem('sarvex.pins.1', '{"not": "a list"')
    const pins = usePins()
    pins.open(1)
    expect(pins.questions).toEqual([])
    localStorage.setItem('sarvex.pins.1', '["a", 7, null, "b"]')
    pins.open(1)
    expect(pins.questions).toEqual(['a', 'b'])
  })
})
