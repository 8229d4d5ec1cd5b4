/** The names of a network, and what a change of one would do. */
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'
import { api, data, type Problem, type Shapes } from '@/api/client'

export function useNames(network: Ref<number>, revision: Ref<number>) {
  return useQuery({
    queryKey: ['names', network, revision],
    queryFn: () =>
      data(api.GET('/api/networks/{network_id}/names', { params: { path: { network_id: network.value } } })),
    placeholderData: keepPreviousData,
    enabled: computed(() => revision.value >= 0),
  })
}

export function useName(network: Ref<number>, id: Ref<number | null>, revision: Ref<number>) {
  return useQuery<Shapes['NameDetail'], Problem>({
    queryKey: ['name', network, id, revision],
    queryFn: () =>
      data(
        api.GET('/api/networks/{network_id}/names/{name_id}', {
          params: { path: { network_id: network.value, name_id: id.value! } },
        }),
      ),
    enabled: computed(() => id.value !== null && revision.value >= 0),
    retry: false,
    placeholderData: (before: Shapes['NameDetail'] | undefined) =>
      before?.id === id.value ? before : undefined,
  })
}

/** What a change of a name would do in every policy. Changes nothing. */
export function consequenceOfName(
  network_id: number,
  name_id: number,
  body: Shapes['AskNameEffect'],
  signal: AbortSignal,
) {
  return data(
    api.POST('/api/networks/{network_id}/names/{name_id}/consequence', {
      params: { path: { network_id, name_id } },
      body,
      signal,
    }),
  )
}
