/** The first network: what a plan and a few answers come to, and beginning with it. */
import { useMutation, useQueryClient } from '@tanstack/vue-query'
import type { Ref } from 'vue'
import { api, data, type Shapes } from '@/api/client'
import { keyOf } from '@/api/keys'

export type PlanTold = Shapes['PlanTold']
export type Answers = Required<Shapes['FirstAnswers']>

/** What it comes to. Changes nothing. */
export function lookAtPlan(network_id: number, text: string, answers: Answers, signal: AbortSignal) {
  return data(
    api.POST('/api/networks/{network_id}/first/look', {
      params: { path: { network_id } },
      body: { text, answers },
      signal,
    }),
  )
}

export function useBegin(network: Ref<number>) {
  const client = useQueryClient()
  return useMutation({
    onSuccess: () => client.invalidateQueries({ queryKey: ['network', network.value] }),
    mutationFn: (x: { text: string; answers: Answers; revision: number }) =>
      data(
        api.POST('/api/networks/{network_id}/first/begin', {
          params: { path: { network_id: network.value } },
          body: { ...x, request_key: keyOf(`begin ${network.value}`, x) },
        }),
      ),
  })
}
