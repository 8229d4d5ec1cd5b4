/** The consequence of the edit in hand: the latest question wins, and nothing stale is shown as current. */
import { onScopeDispose, ref, shallowRef } from 'vue'
import { Problem } from '@/api/client'

/** One per window, so that the server can give up what this one no longer asks. */
const WINDOW = Array.from(crypto.getRandomValues(new Uint8Array(6)), (b) => b.toString(16)).join('')

/** For so many seconds an answer is waited for; what is not settled by then is told, and asked once more: first what happens in the
 *  lists, then in the network as well. */
const PATIENCE = [
  { patience: 0.08, network: false },
  { patience: 0.25, network: true },
  { patience: 1, network: true },
  { patience: 8, network: true },
] as const

export interface Asking {
  asker: string
  generation: number
  patience: number
  network: boolean
}

interface Range {
  complete: boolean
}

/** Whether nothing more is to be had by asking again. What knows nothing of the network is settled by its lists. */
function settled(answer: unknown): boolean {
  const told = answer as {
    policies?: Range[]
    problems?: unknown[]
    network?: Range | null
    ground?: boolean
    expectations?: { unknown: unknown[] } | null
  }
  if (told.problems?.length) return true
  const lists = (told.policies ?? []).every((policy) => policy.complete)
  const held = !told.expectations?.unknown.length
  return lists && held && (!told.ground || told.network?.complete === true)
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
        const asking = { asker: `${WINDOW} ${what}`, generation: mine, ...patience }
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
