/** What is asked of the network: a question, the pinned ones, and what its findings are. */
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'
import { api, data, type Problem, type Shapes } from '@/api/client'

export function useAnswer(network: Ref<number>, question: Ref<string>, revision: Ref<number>) {
  return useQuery<Shapes['AnswerOut'], Problem>({
    queryKey: ['answer', network, question, revision],
    queryFn: ({ signal }) =>
      data(
        api.GET('/api/networks/{network_id}/answer', {
          params: { path: { network_id: network.value }, query: { q: question.value } },
          signal,
        }),
      ),
    enabled: computed(() => question.value.trim() !== '' && revision.value >= 0),
    retry: false,
    placeholderData: keepPreviousData,
  })
}

/** What stands in the way of the sample of a part of an answer, if it does not work. */
export function useObstacles(
  network: Ref<number>,
  question: Ref<string>,
  part: Ref<number | null>,
  revision: Ref<number>,
) {
  return useQuery<Shapes['ObstaclesOut'], Problem>({
    queryKey: ['obstacles', network, question, part, revision],
    queryFn: ({ signal }) =>
      data(
        api.GET('/api/networks/{network_id}/answer/obstacles', {
          params: {
            path: { network_id: network.value },
            query: { q: question.value, part: part.value ?? 0 },
          },
          signal,
        }),
      ),
    enabled: computed(() => question.value.trim() !== '' && part.value !== null && revision.value >= 0),
    retry: false,
  })
}

/** Pinned questions as things are, and as an edit would make them. Changes nothing. */
export function askPins(
  network_id: number,
  body: Partial<Shapes['AskPins']> & { questions: string[] },
  signal: AbortSignal,
) {
  return data(
    api.POST('/api/networks/{network_id}/pins', {
      params: { path: { network_id } },
      body: { asker: '', generation: 0, ...body },
      signal,
    }),
  )
}
