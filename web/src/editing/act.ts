/** One act at a time on the records: whether it is under way, and why it was refused. */
import { ref } from 'vue'
import { Problem } from '@/api/client'

export function useAct() {
  const busy = ref(false)
  const problem = ref('')

  async function act(what: () => Promise<unknown>): Promise<void> {
    busy.value = true
    problem.value = ''
    try {
      await what()
    } catch (error) {
      if (!(error instanceof Problem)) throw error
      problem.value = error.problems.map((p) => p.message).join('; ') || error.detail
    } finally {
      busy.value = false
    }
  }

  return { busy, problem, act }
}
