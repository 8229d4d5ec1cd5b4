/** Searches that are kept by a name: one's own, and those that others share. */
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import type { Ref } from 'vue'
import { api, data, type Shapes } from '@/api/client'

export type Kept = Shapes['SearchOut']

export function useSearches(network: Ref<number>) {
  const client = useQueryClient()
  const path = () => ({ network_id: network.value })
  const again = () => client.invalidateQueries({ queryKey: ['searches', network.value] })
  const { data: kept } = useQuery({
    queryKey: ['searches', network],
    queryFn: () => data(api.GET('/api/networks/{network_id}/searches', { params: { path: path() } })),
  })
  const keep = useMutation({
    mutationFn: (body: Shapes['KeepSearch']) =>
      data(api.POST('/api/networks/{network_id}/searches', { params: { path: path() }, body })),
    onSuccess: again,
  })
  const forget = useMutation({
    mutationFn: (search_id: number) =>
      data(
        api.DELETE('/api/networks/{network_id}/searches/{search_id}', {
          params: { path: { ...path(), search_id } },
        }),
      ),
    onSuccess: again,
  })
  return { kept, keep, forget }
}
