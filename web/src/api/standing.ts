/** Whether the network is as it should be, at a glance. */
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'
import { api, data, type Problem, type Shapes } from '@/api/client'

export function useStanding(network: Ref<number>, revision: Ref<number>) {
  return useQuery<Shapes['StandingOut'], Problem>({
    queryKey: ['standing', network, revision],
    queryFn: ({ signal }) =>
      data(
        api.GET('/api/networks/{network_id}/standing', {
          params: { path: { network_id: network.value } },
          signal,
        }),
      ),
    enabled: computed(() => revision.value >= 0),
    placeholderData: keepPreviousData,
    retry: false,
  })
}
