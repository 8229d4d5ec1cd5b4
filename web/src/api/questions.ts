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

export function useFindings(network: Ref<number>, revision: Ref<number>) {
  return useQuery({
    queryKey: ['findings', network, revision],
    queryFn: () =>
      data(
        api.GET('/api/networks/{network_id}/findings', { params: { path: { network_id: network.value } } }),
      ),
    enabled: computed(() => revision.value >= 0),
    placeholderData: keepPreviousData,
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
