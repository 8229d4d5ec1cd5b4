/** The name that is being looked at without leaving the rule: one card for the whole page. */
import { defineStore } from 'pinia'
import { ref } from 'vue'

const DELAY_MS = 160

export const usePeek = defineStore('peek', () => {
  const name = ref<string | null>(null)
  const kind = ref<'address' | 'service'>('address')
  const anchor = ref<DOMRect | null>(null)
  let timer = 0

  function show(what: string, of: 'address' | 'service', element: HTMLElement, delay = DELAY_MS): void {
    clearTimeout(timer)
    timer = window.setTimeout(() => {
      if (!element.isConnected) return
      name.value = what
      kind.value = of
      anchor.value = element.getBoundingClientRect()
    }, delay)
  }

  function hide(): void {
    clearTimeout(timer)
    name.value = null
  }

  return { name, kind, anchor, show, hide }
})
