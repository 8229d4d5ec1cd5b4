/** Editions of a network, and two versions compared. */
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'
import { api, data, type Problem, type Shapes } from '@/api/client'

export function useEditions(network: Ref<number>, revision: Ref<number>) {
  return useQuery<Shapes['EditionsOut'], Problem>({
    queryKey: ['editions', network, revision],
    queryFn: () =>
      data(
        api.GET('/api/networks/{network_id}/editions', { params: { path: { network_id: network.value } } }),
      ),
    enabled: computed(() => revision.value >= 0),
    placeholderData: keepPreviousData,
  })
}

/** Two versions compared, by name: `draft`, `in force`, `edition 12`, a moment; `to`: only what changes towards these. */
export function useComparison(
  network: Ref<number>,
  revision: Ref<number>,
  before: Ref<string>,
  after: Ref<string>,
  to: Ref<string>,
  enabled: Ref<boolean>,
) {
  return useQuery<Shapes['ComparisonOut'], Problem>({
    queryKey: ['comparison', network, revision, before, after, to],
    queryFn: ({ signal }) =>
      data(
        api.GET('/api/networks/{network_id}/comparison', {
          params: {
            path: { network_id: network.value },
            query: { before: before.value, after: after.value, to: to.value },
          },
          signal,
        }),
      ),
    enabled: computed(() => enabled.value && revision.value >= 0),
    retry: false,
    placeholderData: keepPreviousData,
  })
}
