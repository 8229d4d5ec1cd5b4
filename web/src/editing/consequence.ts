/** The consequence of the edit in hand: the latest question wins, and nothing stale is shown as current. */
import { onScopeDispose, ref, shallowRef } from 'vue'
import { Problem } from '@/api/client'

/** One per window, so that the server can give up what this one no longer asks. */
const WINDOW = Array.from(crypto.getRandomValues(new Uint8Array(6)), (b) => b.toString(16)).join('')

/** For so many seconds an answer is waited for; what is not settled by then is told, and asked once more. */
const PATIENCE = [0.08, 1, 8]

export interface Asking {
  asker: string
  generation: number
  patience: number
}

function settled(answer: unknown): boolean {
  const { policies = [] } = answer as { policies?: { complete: boolean }[] }
  return policies.every((policy) => policy.complete)
}

export function useConsequence<Body, Told>(
  what: string,
  send: (asking: Asking, body: Body, signal: AbortSignal) => Promise<Told>,
) {
  const told = shallowRef<Told | null>(null)
  const stale = ref(false)
  const failure = ref('')
  let generation = 0
  let controller: AbortController | undefined

  /** Ask about an edit; null when there is none (any more). */
  async function about(body: Body | null): Promise<void> {
    controller?.abort()
    const mine = ++generation
    if (body === null) {
      told.value = null
      stale.value = false
      failure.value = ''
      return
    }
    controller = new AbortController()
    stale.value = told.value !== null
    for (const patience of PATIENCE) {
      try {
        const asking = { asker: `${WINDOW} ${what}`, generation: mine, patience }
        const answer = await send(asking, body, controller.signal)
        if (mine !== generation) return
        told.value = answer
        failure.value = ''
        stale.value = false
        if (settled(answer)) return
      } catch (error) {
        if (mine !== generation) return
        told.value = null
        stale.value = false
        failure.value = error instanceof Problem ? error.detail : ''
        return
      }
    }
  }
  onScopeDispose(() => controller?.abort())
  return { told, stale, failure, about }
}
