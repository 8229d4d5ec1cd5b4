/** What is typed into a device by hand, and what it tells then. */
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'
import { api, data, type Problem, type Shapes } from '@/api/client'

export type Worksheet = Shapes['WorksheetOut']
export type ListSheet = Shapes['ListSheetOut']
export type Entry = Shapes['EntryOut']
export type ReadBack = Shapes['ReadBackOut']
export type Column = ReadBack['columns'][number]

export function useWorksheet(network: Ref<number>, revision: Ref<number>, device: Ref<number>) {
  return useQuery<Worksheet, Problem>({
    queryKey: ['worksheet', network, revision, device],
    queryFn: ({ signal }) =>
      data(
        api.GET('/api/networks/{network_id}/devices/{device_id}/worksheet', {
          params: { path: { network_id: network.value, device_id: device.value } },
          signal,
        }),
      ),
    enabled: computed(() => revision.value >= 0),
    placeholderData: keepPreviousData,
  })
}

/** What a device tells of a list against what should be there. */
export function readBack(
  network: number,
  policy: number,
  text: string,
  columns: readonly Column[] | null,
): Promise<ReadBack> {
  return data(
    api.POST('/api/networks/{network_id}/policies/{policy_id}/read-back', {
      params: { path: { network_id: network, policy_id: policy } },
      body: { text, columns: columns && [...columns] },
    }),
  )
}
