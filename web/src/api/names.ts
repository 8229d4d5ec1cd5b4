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

type Sought = Partial<Record<'holds' | 'within' | 'by' | 'changed', string>>

/** The names that hold or lie in something, or that somebody changed last; nothing is asked while nothing is sought. */
export function useFoundNames(network: Ref<number>, revision: Ref<number>, sought: Ref<Sought | null>) {
  return useQuery<Shapes['FoundNames'], Problem>({
    queryKey: ['found names', network, revision, sought],
    queryFn: ({ signal }) =>
      data(
        api.GET('/api/networks/{network_id}/names/found', {
          params: { path: { network_id: network.value }, query: sought.value! },
          signal,
        }),
      ),
    enabled: computed(() => revision.value >= 0 && sought.value !== null),
    retry: false,
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
