/** Who reaches whom: all segments at once. */
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'
import { api, data, type Problem, type Shapes } from '@/api/client'

const paramsOf = (network: Ref<number>, service: Ref<string>, at: Ref<string>) => ({
  path: { network_id: network.value },
  query: { service: service.value, at: at.value },
})

export function useAllSegments(
  network: Ref<number>,
  service: Ref<string>,
  at: Ref<string>,
  revision: Ref<number>,
) {
  return useQuery<Shapes['AllSegmentsOut'], Problem>({
    queryKey: ['matrix', network, service, at, revision],
    queryFn: ({ signal }) =>
      data(
        api.GET('/api/networks/{network_id}/matrix', {
          params: paramsOf(network, service, at),
          signal,
        }),
      ),
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
