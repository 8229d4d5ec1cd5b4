/** What stands on the ground, and what a change of it would do. */
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed, ref, type Ref } from 'vue'
import { api, data, type Shapes } from '@/api/client'
import type { Asking } from '@/editing/consequence'
import type { Kind } from '@/editing/things'

/** What is there, in the draft or in another version. */
export function useGround(network: Ref<number>, revision: Ref<number>, of: Ref<string | undefined> = ref()) {
  return useQuery({
    queryKey: ['ground', network, revision, of],
    queryFn: () =>
      data(
        api.GET('/api/networks/{network_id}/ground', {
          params: { path: { network_id: network.value }, query: { of: of.value } },
        }),
      ),
    enabled: computed(() => revision.value >= 0),
    placeholderData: keepPreviousData,
  })
}

/** What has an address of its own to be edited at: the ground, schedules, and the clock they go by. */
export type Edited = Kind | 'schedules' | 'clock' | 'expectations'

/** Of what a change is told before it is saved; one route per kind, each typed by its record; here they are alike. */
type Told = Exclude<Edited, 'zones' | 'clock' | 'expectations'>

/** What a change of a thing would do wherever it is felt. Changes nothing. */
export function consequenceOfThing(
  network_id: number,
  kind: Told,
  thing_id: number,
  body: Asking & { thing: object },
  signal: AbortSignal,
) {
  return data(
    api.POST(
      `/api/networks/{network_id}/things/${kind}/{thing_id}/consequence` as '/api/networks/{network_id}/things/schedules/{thing_id}/consequence',
      {
        params: { path: { network_id, thing_id } },
        body: { ...body, thing: body.thing as Shapes['Schedule'] },
        signal,
      },
    ),
  )
}

/** What one more thing would do wherever it is felt. Changes nothing. */
export function consequenceOfNew(
  network_id: number,
  kind: Kind,
  body: Asking & { thing: object; parent_id: number | null },
  signal: AbortSignal,
) {
  return data(
    api.POST(
      `/api/networks/{network_id}/things/${kind}/consequence` as '/api/networks/{network_id}/things/steering/consequence',
      {
        params: { path: { network_id } },
        body: { ...body, thing: body.thing as Shapes['Steering'] },
        signal,
      },
    ),
  )
}

/** What would be otherwise without a thing. Changes nothing. */
export function consequenceOfDeletion(
  network_id: number,
  thing_id: number,
  body: Asking,
  signal: AbortSignal,
) {
  return data(
    api.POST('/api/networks/{network_id}/things/{thing_id}/deletion/consequence', {
      params: { path: { network_id, thing_id } },
      body,
      signal,
    }),
  )
}

/** What it would do otherwise with an entry before another, or at the end. Changes nothing. */
export function consequenceOfMove(
  network_id: number,
  entry_id: number,
  body: Asking & { before_id: number | null },
  signal: AbortSignal,
) {
  return data(
    api.POST('/api/networks/{network_id}/things/{entry_id}/move/consequence', {
      params: { path: { network_id, entry_id } },
      body,
      signal,
    }),
  )
}

/** What a new segment would reach, and who would reach it, on a device in a zone. Changes nothing. */
export function consequenceOfNewcomer(
  network_id: number,
  body: Asking & { thing: object; device_id: number; zone: string | null },
  signal: AbortSignal,
) {
  return data(
    api.POST('/api/networks/{network_id}/newcomer/consequence', {
      params: { path: { network_id } },
      body: { ...body, thing: body.thing as Shapes['Segment'] },
      signal,
    }),
  )
}
