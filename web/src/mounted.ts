/** Components in a document of their own, as the page has them: for tests. */
import { mount, type ComponentMountingOptions } from '@vue/test-utils'
import { createPinia, setActivePinia } from 'pinia'
import type { Component } from 'vue'
import { vuetify } from '@/theme'

export function mounted<C extends Component>(component: C, options: ComponentMountingOptions<C> = {}) {
  const pinia = createPinia()
  setActivePinia(pinia)
  return mount(component, {
    attachTo: document.body,
    ...options,
    global: { plugins: [vuetify, pinia], ...options.global },
  } as ComponentMountingOptions<C>)
}
