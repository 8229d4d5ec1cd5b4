/** A rule on its way to another policy: laid down there as a new one, to be looked at before it is added. */
import { defineStore } from 'pinia'
import { ref } from 'vue'
import type { Rule } from '@/api/client'

export const useCarrying = defineStore('carrying', () => {
  const rule = ref<Rule | null>(null)

  /** The rule, once. */
  function take(): Rule | null {
    const taken = rule.value
    rule.value = null
    return taken
  }
  return { rule, take }
})
