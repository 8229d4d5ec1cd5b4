// @vitest-environment happy-dom
import { flushPromises } from '@vue/test-utils'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { createApp, defineComponent, h, nextTick, ref } from 'vue'
import { createMemoryHistory, createRouter } from 'vue-router'
import { fault, watchFaults } from '@/ui/faults'

const part = { render: () => null }

function page(load: () => Promise<unknown>) {
  const router = createRouter({
    history: createMemoryHistory(),
    routes: [
      { path: '/', component: part },
      { path: '/rules', component: load as never },
    ],
  })
  const broken = ref(false)
  const app = createApp(
    defineComponent({
      setup: () => () => {
        if (broken.value) throw new Error('no such row')
        return h('p')
      },
    }),
  )
  watchFaults(app, router)
  app.mount(document.createElement('div'))
  return { router, broken }
}

describe('what nobody caught', () => {
  beforeEach(() => {
    fault.value = ''
    sessionStorage.clear()
    vi.stubGlobal('reportError', (error: Error) =>
      window.dispatchEvent(Object.assign(new Event('error'), { error, message: error.message })),
    )
  })
  afterEach(() => vi.unstubAllGlobals())

  it('is told in sight, and layouts that settle later are not', async () => {
    const { broken } = page(() => Promise.resolve(part))
    broken.value = true
    await nextTick()
    expect(fault.value).toBe('no such row')
    fault.value = ''
    window.dispatchEvent(
      Object.assign(new Event('error'), {
        message: 'ResizeObserver loop completed with undelivered notifications.',
      }),
    )
    expect(fault.value).toBe('')
    window.dispatchEvent(Object.assign(new Event('unhandledrejection'), { reason: new Error('lost') }))
    expect(fault.value).toBe('lost')
  })

  it('loads a page anew whose parts are gone, once for each way', async () => {
    const assign = vi.spyOn(location, 'assign').mockImplementation(() => undefined)
    const gone = () =>
      Promise.reject(new TypeError('Failed to fetch dynamically imported module: /assets/Rules-1.js'))
    const { router } = page(gone)
    await router.push('/rules').catch(() => undefined)
    await flushPromises()
    expect(assign.mock.calls).toEqual([['/rules']])
    await router.push('/rules').catch(() => undefined)
    await flushPromises()
    expect(assign).toHaveBeenCalledTimes(1)
    expect(fault.value).toContain('Failed to fetch')
  })
})
