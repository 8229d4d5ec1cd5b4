/** Who reaches whom: all segments at once. */
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'
import { api, data, type Problem, type Shapes } from '@/api/client'

const AGAIN = 400
const paramsOf = (network: Ref<number>, service: Ref<string>, at: Ref<string>) => ({
  path: { network_id: network.value },
  query: { service: service.value, at: at.value },
})

export function useAllSegments(
  network: Ref<number>,
  service: Ref<string>,
  at: Ref<string>,
  aside: Ref<boolean>,
  revision: Ref<number>,
) {
  return useQuery<Shapes['AllSegmentsOut'], Problem>({
    queryKey: ['matrix', network, service, at, aside, revision],
    queryFn: ({ signal }) => {
      const { path, query } = paramsOf(network, service, at)
      return data(
        api.GET('/api/networks/{network_id}/matrix', {
          params: { path, query: { ...query, aside: aside.value } },
          signal,
        }),
      )
    },
    // Of a large network it is told part by part how far it is: whoever looks on asks again.
    refetchInterval: ({ state }) => (state.data && state.data.share < 1 ? AGAIN : false),
    enabled: computed(() => revision.value >= 0),
    retry: false,
    placeholderData: keepPreviousData,
  })
}

/** What the draft changes in it, against what is in force. */
export function useReachChanges(
  network: Ref<number>,
  service: Ref<string>,
  at: Ref<string>,
  revision: Ref<number>,
) {
  return useQuery<Shapes['ReachChangesOut'], Problem>({
    queryKey: ['matrix changes', network, service, at, revision],
    queryFn: ({ signal }) =>
      data(
        api.GET('/api/networks/{network_id}/matrix/changes', {
          params: paramsOf(network, service, at),
          signal,
        }),
      ),
    enabled: computed(() => revision.value >= 0),
    retry: false,
  })
}
