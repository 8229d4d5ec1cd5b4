/** What must hold: whether it does, what a text of it means, and what belongs around it. */
import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'
import { api, data, type Problem, type Shapes } from '@/api/client'
import { keyOf } from '@/api/keys'

export type Expectation = Shapes['Expectation']
export type ExpectationOut = Shapes['ExpectationOut']
export type Verdict = ExpectationOut['verdict']

export function useExpectations(network: Ref<number>, revision: Ref<number>) {
  return useQuery<Shapes['ExpectationsOut'], Problem>({
    queryKey: ['expectations', network, revision],
    queryFn: ({ signal }) =>
      data(
        api.GET('/api/networks/{network_id}/expectations', {
          params: { path: { network_id: network.value } },
          signal,
        }),
      ),
    enabled: computed(() => revision.value >= 0),
    placeholderData: keepPreviousData,
    staleTime: Infinity,
  })
}

/** The pairs of segments, and of segments and devices themselves, that something is expected of. */
export function useMentions(network: Ref<number>, revision: Ref<number>) {
  return useQuery<Shapes['MentionOut'][], Problem>({
    queryKey: ['mentions', network, revision],
    queryFn: ({ signal }) =>
      data(
        api.GET('/api/networks/{network_id}/expectations/pairs', {
          params: { path: { network_id: network.value } },
          signal,
        }),
      ),
    enabled: computed(() => revision.value >= 0),
    placeholderData: keepPreviousData,
  })
}

/** Since which change one that does not hold does not; not asked while it holds. */
export function useHeldSince(network: Ref<number>, revision: Ref<number>, id: Ref<number | null>) {
  return useQuery<Shapes['SinceOut'], Problem>({
    queryKey: ['held since', network, revision, id],
    queryFn: ({ signal }) =>
      data(
        api.GET('/api/networks/{network_id}/expectations/{expectation_id}/since', {
          params: { path: { network_id: network.value, expectation_id: id.value! } },
          signal,
        }),
      ),
    enabled: computed(() => revision.value >= 0 && id.value !== null),
  })
}

/** Whether one that may not be saved yet would hold. Changes nothing. */
export function lookAt(network_id: number, thing: Expectation, signal: AbortSignal) {
  return data(
    api.POST('/api/networks/{network_id}/expectations/look', {
      params: { path: { network_id } },
      body: { thing },
      signal,
    }),
  )
}

/** What must stay blocked around one that must be allowed. Changes nothing. */
export function complementsOf(network_id: number, thing: Expectation, signal?: AbortSignal) {
  return data(
    api.POST('/api/networks/{network_id}/expectations/complements', {
      params: { path: { network_id } },
      body: { thing },
      signal,
    }),
  )
}

/** What works near one that must be blocked, as things are or while something is unplugged. Changes nothing. */
export function waysAround(network_id: number, thing: Expectation, unplugged: boolean, signal?: AbortSignal) {
  return data(
    api.POST('/api/networks/{network_id}/expectations/around', {
      params: { path: { network_id } },
      body: { thing, unplugged },
      signal,
    }),
  )
}

/** What sentences and tables mean, line by line. Changes nothing. */
export function readText(network_id: number, text: string, signal?: AbortSignal) {
  return data(
    api.POST('/api/networks/{network_id}/expectations/read', {
      params: { path: { network_id } },
      body: { text },
      signal,
    }),
  )
}

/** Several at once, one step of undo. */
export function useAddExpectations(network: Ref<number>) {
  const client = useQueryClient()
  return useMutation({
    onSuccess: () => client.invalidateQueries({ queryKey: ['network', network.value] }),
    mutationFn: (things: Expectation[]) =>
      data(
        api.POST('/api/networks/{network_id}/expectations', {
          params: { path: { network_id: network.value } },
          body: { things, request_key: keyOf(`addExpectations ${network.value}`, things) },
        }),
      ),
  })
}

export type Given = Partial<Pick<Required<Shapes['ManyExpectations']>, 'owner' | 'until' | 'at'>>

/** One act on several, one step of undo: they are deleted, or get what is given. */
export function useManyExpectations(network: Ref<number>) {
  const client = useQueryClient()
  return useMutation({
    onSuccess: () => client.invalidateQueries({ queryKey: ['network', network.value] }),
    mutationFn: (x: { expectations: [number, number][]; act: 'delete' | 'change'; given?: Given }) => {
      const body = { expectations: x.expectations, act: x.act, ...x.given }
      return data(
        api.POST('/api/networks/{network_id}/expectations/many', {
          params: { path: { network_id: network.value } },
          body: { ...body, request_key: keyOf(`manyExpectations ${network.value}`, body) },
        }),
      )
    },
  })
}
