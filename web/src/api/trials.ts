/** What to try in the network itself, what must be seen there, and what was. */
import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'
import { api, data, type Problem, type Shapes } from '@/api/client'

export type Sheet = Shapes['SheetOut']
export type Trial = Shapes['TrialOut']
export type Seen = Shapes['SeenOut']

/** The sheet of a version, by its name; of what can be tried now if it has none. */
export function useTrials(network: Ref<number>, revision: Ref<number>, version: Ref<string>) {
  return useQuery<Sheet, Problem>({
    queryKey: ['trials', network, revision, version],
    queryFn: ({ signal }) =>
      data(
        api.GET('/api/networks/{network_id}/trials', {
          params: { path: { network_id: network.value }, query: { version: version.value } },
          signal,
        }),
      ),
    enabled: computed(() => revision.value >= 0),
    placeholderData: keepPreviousData,
  })
}

/** Keep what was seen of a packet; nothing takes back what was said before. */
export function useSee(network: Ref<number>) {
  const client = useQueryClient()
  return useMutation({
    mutationFn: (body: Shapes['See']) =>
      data(
        api.POST('/api/networks/{network_id}/trials', {
          params: { path: { network_id: network.value } },
          body,
        }),
      ),
    onSuccess: () =>
      Promise.all(
        ['trials', 'standing'].map((key) => client.invalidateQueries({ queryKey: [key, network.value] })),
      ),
  })
}
