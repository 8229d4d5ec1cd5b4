/** The network as a whole, asked for again and again, and those that one may see. */
import { useQuery } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'
import { api, data } from '@/api/client'

const POLL_MS = 4000

export function useNetworks() {
  return useQuery({ queryKey: ['networks'], queryFn: () => data(api.GET('/api/networks')) })
}

/** The network, asked for again and again, so that other people's edits arrive by themselves. */
export function useNetwork(network: Ref<number>) {
  return useQuery(computed(() => ({ ...networkOf(network.value), refetchInterval: POLL_MS })))
}

export function networkOf(network_id: number) {
  return {
    queryKey: ['network', network_id],
    queryFn: () => data(api.GET('/api/networks/{network_id}', { params: { path: { network_id } } })),
  }
}
