/** One act at a time on the records: whether it is under way, and why it was refused. */
import { ref } from 'vue'
import { Problem, type ProblemOut } from '@/api/client'

export function useAct() {
  const busy = ref(false)
  const problem = ref('')
  /** What was wrong with which field, where the refusal says so. */
  const problems = ref<ProblemOut[]>([])

  /** Whether it was done. */
  async function act(what: () => Promise<unknown>): Promise<boolean> {
    busy.value = true
    problem.value = ''
    problems.value = []
    try {
      await what()
      return true
    } catch (error) {
      if (!(error instanceof Problem)) throw error
      problems.value = error.problems
      problem.value = error.problems.map((p) => p.message).join('; ') || error.detail
      return false
    } finally {
      busy.value = false
    }
  }

  return { busy, problem, problems, act }
}
