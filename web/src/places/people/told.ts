/** What is done about people: told when it is done, and why it was refused. */
import { useQueryClient } from '@tanstack/vue-query'
import { ref } from 'vue'
import type { Shapes } from '@/api/client'
import { useAct } from '@/editing/act'

export type Role = Shapes['PersonOut']['role']
export const ROLES: readonly Role[] = ['none', 'viewer', 'editor', 'releaser', 'administrator']
export const MAY: Record<Role, string> = {
  none: 'sees no network, but those that they are given a role in',
  viewer: 'looks and asks',
  editor: 'edits the draft',
  releaser: 'edits, and brings into force',
  administrator: 'all that, and says who may do what',
}

export function useTold() {
  const client = useQueryClient()
  const said = ref('')
  const { problem: failure, problems, act: done } = useAct()

  async function act(what: () => Promise<unknown>, told: string): Promise<boolean> {
    said.value = ''
    const fine = await done(what)
    if (fine) said.value = told
    void client.invalidateQueries({ queryKey: ['people'] })
    void client.invalidateQueries({ queryKey: ['sessions'] })
    void client.invalidateQueries({ queryKey: ['tokens'] })
    return fine
  }
  return { said, failure, problems, act }
}
