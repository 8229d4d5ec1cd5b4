/** What is done about people: told when it is done, and why it was refused. */
import { useQueryClient } from '@tanstack/vue-query'
import { ref } from 'vue'
import { Problem, type ProblemOut, type Shapes } from '@/api/client'

export type Role = Shapes['PersonOut']['role']
export const ROLES: readonly Role[] = ['viewer', 'editor', 'releaser', 'administrator']
export const MAY: Record<Role, string> = {
  viewer: 'looks and asks',
  editor: 'edits the draft',
  releaser: 'edits, and brings into force',
  administrator: 'all that, and says who may do what',
}

export function useTold() {
  const client = useQueryClient()
  const said = ref('')
  const failure = ref('')
  const problems = ref<ProblemOut[]>([])

  async function act(what: () => Promise<unknown>, done: string): Promise<boolean> {
    said.value = failure.value = ''
    problems.value = []
    try {
      await what()
      said.value = done
      return true
    } catch (error) {
      if (!(error instanceof Problem)) throw error
      problems.value = error.problems
      failure.value = error.problems.length ? error.problems.map((p) => p.message).join('; ') : error.detail
      return false
    } finally {
      void client.invalidateQueries({ queryKey: ['people'] })
      void client.invalidateQueries({ queryKey: ['sessions'] })
    }
  }
  return { said, failure, problems, act }
}
