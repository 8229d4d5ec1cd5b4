/** Findings of the draft, and accepting one until a date. */
import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref, type Ref } from 'vue'
import { api, data, type Problem, type Shapes } from '@/api/client'
import { keyOf } from '@/api/keys'

/** `since`: the number of an edition; what it had nothing of is told to be `fresh`. */
export function useFindings(
  network: Ref<number>,
  revision: Ref<number>,
  since: Ref<number | null> = ref(null),
) {
  return useQuery<Shapes['PlacedFinding'][], Problem>({
    queryKey: ['findings', network, revision, since],
    queryFn: () =>
      data(
        api.GET('/api/networks/{network_id}/findings', {
          params: { path: { network_id: network.value }, query: { since: since.value ?? undefined } },
        }),
      ),
    enabled: computed(() => revision.value >= 0),
    placeholderData: keepPreviousData,
  })
}

export function useAcceptances(network: Ref<number>) {
  const client = useQueryClient()
  const path = () => ({ network_id: network.value })
  const options = {
    onSuccess: () => client.invalidateQueries({ queryKey: ['network', network.value] }),
  }
  const accept = useMutation({
    ...options,
    mutationFn: (x: { key: string; reason: string; until: string }) =>
      data(
        api.POST('/api/networks/{network_id}/findings/acceptances', {
          params: { path: path() },
          body: { ...x, request_key: keyOf(`accept ${network.value}`, x) },
        }),
      ),
  })
  const takeBack = useMutation({
    ...options,
    mutationFn: (x: { key: string }) =>
      data(
        api.POST('/api/networks/{network_id}/findings/acceptances/back', {
          params: { path: path() },
          body: { ...x, request_key: keyOf(`accept no more ${network.value}`, x) },
        }),
      ),
  })
  return { accept, takeBack }
}
