/** Pinned questions: kept in sight in every place, and answered again as the edit in hand would have it. */
import { defineStore } from 'pinia'
import { ref, shallowRef, watch } from 'vue'
import type { Edit } from '@/api/client'

const MOST = 12
const keyOf = (network: number) => `sarvex.pins.${network}`

export interface InHand {
  policy: number
  edit: Edit
}

function stored(network: number): string[] {
  try {
    const found: unknown = JSON.parse(localStorage.getItem(keyOf(network)) ?? '[]')
    return Array.isArray(found) ? found.filter((q) => typeof q === 'string').slice(0, MOST) : []
  } catch {
    return []
  }
}

export const usePins = defineStore('pins', () => {
  const network = ref(0)
  const questions = ref<string[]>([])
  /** The edit that is dragged, written or looked at now. */
  const inHand = shallowRef<InHand | null>(null)

  function open(id: number): void {
    network.value = id
    questions.value = stored(id)
    inHand.value = null
  }
  function toggle(question: string): void {
    const text = question.trim()
    if (!text) return
    questions.value = questions.value.includes(text)
      ? questions.value.filter((q) => q !== text)
      : [...questions.value, text].slice(-MOST)
  }
  watch(questions, (now) => localStorage.setItem(keyOf(network.value), JSON.stringify(now)))
  return { questions, inHand, open, toggle }
})
