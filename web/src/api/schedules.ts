/** Schedules, and how they go in a week. */
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'
import { api, data, type Problem, type Shapes } from '@/api/client'

const MINUTE_MS = 60_000

/** Schedules with what they are now; asked again as time goes by. */
export function useSchedules(network: Ref<number>, revision: Ref<number>) {
  return useQuery<Shapes['SchedulesOut'], Problem>({
    queryKey: ['schedules', network, revision],
    queryFn: () =>
      data(
        api.GET('/api/networks/{network_id}/schedules', { params: { path: { network_id: network.value } } }),
      ),
    enabled: computed(() => revision.value >= 0),
    placeholderData: keepPreviousData,
    refetchInterval: MINUTE_MS,
  })
}

/** How a schedule, written already or not, goes in one week. Changes nothing. */
export function weekOf(network_id: number, body: Shapes['WeekIn'], signal?: AbortSignal) {
  return data(
    api.POST('/api/networks/{network_id}/schedules/week', { params: { path: { network_id } }, body, signal }),
  )
}

/** This week of each of some schedules, by id. */
export function useWeeks(
  network: Ref<number>,
  revision: Ref<number>,
  schedules: Ref<readonly Shapes['ScheduleLine'][]>,
) {
  const ids = computed(() => schedules.value.map((s) => [s.id, s.ver]))
  return useQuery({
    queryKey: ['weeks', network, revision, ids],
    queryFn: async () => {
      const asked = schedules.value.map(
        async (s) => [s.id, await weekOf(network.value, { schedule: s.thing, date: '' })] as const,
      )
      return new Map(await Promise.all(asked))
    },
    enabled: computed(() => revision.value >= 0 && schedules.value.length > 0),
    placeholderData: keepPreviousData,
    refetchInterval: MINUTE_MS,
  })
}
