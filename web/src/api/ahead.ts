/** What a place will ask for is asked while its own parts are still on their way. */
import type { QueryClient } from '@tanstack/vue-query'
import { networkOf } from '@/api/network'
import { beginningOf, isLong } from '@/api/policies'

/** `path`: of the page that is being opened. Whatever fails here is asked again, and told, by the place itself. */
export async function askAhead(client: QueryClient, path: string): Promise<void> {
  const [, network, rules, policy] = /^\/networks\/(\d+)(\/rules(?:\/(\d+))?)?/.exec(path) ?? []
  if (network === undefined) return
  const told = await client.fetchQuery({ ...networkOf(Number(network)), retry: false }).catch(() => null)
  const line = policy === undefined ? told?.policies[0] : told?.policies.find((p) => p.id === Number(policy))
  if (rules !== undefined && line && isLong(line))
    await client.prefetchQuery(beginningOf(Number(network), line.id))
}
