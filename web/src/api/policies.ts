/** One policy and its rules: asked for, what tidying would take out, its flows decided, and its edits. */
import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, type Ref, toValue } from 'vue'
import {
  api,
  data,
  type Edit,
  type PlaceIn,
  type PolicyOut,
  type Problem,
  type Rule,
  type Shapes,
} from '@/api/client'
import { keyOf } from '@/api/keys'
import { knows, whole } from '@/api/policyRows'
import type { Asking } from '@/editing/consequence'

/** A policy with all its rows, of which only those are sent that are not here as they are. */
async function policyOf(network_id: number, policy_id: number): Promise<PolicyOut> {
  const ask = (headers: Record<string, string>) =>
    data(
      api.GET('/api/networks/{network_id}/policies/{policy_id}', {
        params: { path: { network_id, policy_id } },
        headers,
      }),
    )
  return whole(await ask(knows(policy_id))) ?? ask({}).then((told) => whole(told)!)
}

/** Lists longer than this are shown from their beginning on while the rest is on its way. */
const LONG = 500
const FIRST = 60
export const isLong = (policy: { rules: number } | undefined) => (policy?.rules ?? 0) > LONG

export function beginningOf(network_id: number, policy_id: number) {
  return {
    queryKey: ['beginning', network_id, policy_id],
    queryFn: () =>
      data(
        api.GET('/api/networks/{network_id}/policies/{policy_id}', {
          params: { path: { network_id, policy_id }, query: { first: FIRST } },
        }),
      ),
  }
}

/** `long`: whether it is known to be one. What is told is `partial` as long as only the beginning of a long list is here. */
export function usePolicy(
  network: Ref<number>,
  policy: Ref<number | null>,
  revision: Ref<number>,
  long: Ref<boolean>,
) {
  const all = useQuery({
    queryKey: ['policy', network, policy, revision],
    queryFn: () => policyOf(network.value, policy.value!),
    enabled: computed(() => policy.value !== null && revision.value >= 0),
    placeholderData: (before: PolicyOut | undefined) => (before?.id === policy.value ? before : undefined),
  })
  const { data: beginning } = useQuery(
    computed(() => ({
      ...beginningOf(network.value, policy.value ?? 0),
      enabled: policy.value !== null && long.value && !all.data.value,
    })),
  )
  const partial = computed(() => !all.data.value && beginning.value?.id === policy.value)
  const told = computed(() => all.data.value ?? (partial.value ? beginning.value : undefined))
  return { data: told, error: all.error, partial }
}

type RulePath = { network_id: number; policy_id: number; rule_id: number }

/** What tidying would take out, but for the rules to keep; asked again when either moves. */
export function useTidy(
  network: Ref<number>,
  policy: Ref<number | null>,
  revision: Ref<number>,
  merge: Ref<boolean>,
  keep: Ref<number[]>,
) {
  return useQuery({
    queryKey: ['tidy', network, policy, revision, merge, keep],
    queryFn: () =>
      data(
        api.GET('/api/networks/{network_id}/policies/{policy_id}/tidy', {
          params: {
            path: { network_id: network.value, policy_id: policy.value! },
            query: { merge: merge.value, keep: keep.value },
          },
        }),
      ),
    enabled: computed(() => policy.value !== null && revision.value >= 0),
    placeholderData: keepPreviousData,
  })
}

type Sought = Partial<Record<'source' | 'destination' | 'service' | 'by' | 'changed', string>>

/** The rules that speak of something, or that somebody changed last; nothing is asked while nothing is sought. */
export function useFound(
  network: Ref<number>,
  policy: Ref<number | null>,
  revision: Ref<number>,
  sought: Ref<Sought | null>,
) {
  return useQuery<Shapes['FoundRules'], Problem>({
    queryKey: ['found', network, policy, revision, sought],
    queryFn: ({ signal }) =>
      data(
        api.GET('/api/networks/{network_id}/policies/{policy_id}/found', {
          params: {
            path: { network_id: network.value, policy_id: policy.value! },
            query: sought.value!,
          },
          signal,
        }),
      ),
    enabled: computed(() => policy.value !== null && revision.value >= 0 && sought.value !== null),
    retry: false,
  })
}

/** The flows of a CSV text, decided in one policy. Changes nothing. */
export function decideFlows(
  network_id: number,
  policy_id: number,
  text: string,
  at: string,
  signal: AbortSignal,
) {
  const body = { text, at }
  return data(
    policy_id
      ? api.POST('/api/networks/{network_id}/policies/{policy_id}/decide', {
          params: { path: { network_id, policy_id } },
          body,
          signal,
        })
      : api.POST('/api/networks/{network_id}/decide', { params: { path: { network_id } }, body, signal }),
  )
}

/** Edits of one policy. Each answer carries what became of its rows, so the screen never guesses. */
export function useEdits(network: Ref<number>, policy: Ref<number | null>) {
  const client = useQueryClient()
  const path = () => ({ network_id: network.value, policy_id: toValue(policy)! })
  const at = () => JSON.stringify(path())
  const rulePath = (rule_id: number): RulePath => ({ ...path(), rule_id })

  const headers = () => knows(toValue(policy)!)

  function arrived(edited: Shapes['Edited']): void {
    const now = whole(edited.policy)
    if (!now) return refresh()
    client.setQueryData(['policy', network.value, now.id, now.revision], now)
    client.setQueryData<Shapes['NetworkOut']>(['network', network.value], (before) => {
      if (!before) return before
      const { id, name, description, default: otherwise, rules, pending, warnings, attachments } = now
      const line = { id, name, description, default: otherwise, rules, pending, warnings, attachments }
      return {
        ...before,
        revision: now.revision,
        policies: before.policies.map((p) => (p.id === now.id ? line : p)),
      }
    })
  }
  const options = { onSuccess: arrived }

  const add = useMutation({
    ...options,
    mutationFn: (x: { rule: Rule; place: PlaceIn }) =>
      data(
        api.POST('/api/networks/{network_id}/policies/{policy_id}/rules', {
          headers: headers(),
          params: { path: path() },
          body: { ...x, request_key: keyOf(`add ${at()}`, x) },
        }),
      ),
  })
  /** One act on several rules: all of it or nothing, one step of undo. */
  const many = useMutation({
    ...options,
    mutationFn: (x: Omit<Shapes['ManyRules'], 'request_key'>) =>
      data(
        api.POST('/api/networks/{network_id}/policies/{policy_id}/rules/many', {
          headers: headers(),
          params: { path: path() },
          body: { ...x, request_key: keyOf(`many ${at()}`, x) },
        }),
      ),
  })
  const addSection = useMutation({
    ...options,
    mutationFn: (x: { name: string; before: number | null }) =>
      data(
        api.POST('/api/networks/{network_id}/policies/{policy_id}/sections', {
          headers: headers(),
          params: { path: path() },
          body: {
            section: { name: x.name, before: null, description: '' },
            before_id: x.before,
            request_key: keyOf(`addSection ${at()}`, x),
          },
        }),
      ),
  })
  const renameSection = useMutation({
    ...options,
    mutationFn: (x: { id: number; ver: number; name: string; description: string }) =>
      data(
        api.PUT('/api/networks/{network_id}/policies/{policy_id}/sections/{section_id}', {
          headers: headers(),
          params: { path: { ...path(), section_id: x.id } },
          body: {
            section: { name: x.name, before: null, description: x.description },
            ver: x.ver,
            request_key: keyOf(`renameSection ${at()}`, x),
          },
        }),
      ),
  })
  const deleteSection = useMutation({
    ...options,
    mutationFn: (x: { id: number; ver: number }) =>
      data(
        api.DELETE('/api/networks/{network_id}/policies/{policy_id}/sections/{section_id}', {
          headers: headers(),
          params: {
            path: { ...path(), section_id: x.id },
            query: { ver: x.ver, request_key: keyOf(`deleteSection ${at()}`, x) },
          },
        }),
      ),
  })
  const change = useMutation({
    ...options,
    mutationFn: (x: { id: number; ver: number; rule: Rule; place?: PlaceIn | null }) =>
      data(
        api.PUT('/api/networks/{network_id}/policies/{policy_id}/rules/{rule_id}', {
          headers: headers(),
          params: { path: rulePath(x.id) },
          body: { rule: x.rule, ver: x.ver, place: x.place ?? null, request_key: keyOf(`change ${at()}`, x) },
        }),
      ),
  })
  const move = useMutation({
    ...options,
    mutationFn: (x: { id: number; ver: number; place: PlaceIn }) =>
      data(
        api.POST('/api/networks/{network_id}/policies/{policy_id}/rules/{rule_id}/move', {
          headers: headers(),
          params: { path: rulePath(x.id) },
          body: { place: x.place, ver: x.ver, request_key: keyOf(`move ${at()}`, x) },
        }),
      ),
  })
  const remove = useMutation({
    ...options,
    mutationFn: (x: { id: number; ver: number }) =>
      data(
        api.DELETE('/api/networks/{network_id}/policies/{policy_id}/rules/{rule_id}', {
          headers: headers(),
          params: { path: rulePath(x.id), query: { ver: x.ver, request_key: keyOf(`remove ${at()}`, x) } },
        }),
      ),
  })
  /** Rules taken out, proven to change nothing in the same step. */
  const tidy = useMutation({
    ...options,
    mutationFn: (x: { rules: number[]; into: number[]; merge: boolean }) =>
      data<Shapes['Edited']>(
        api.POST('/api/networks/{network_id}/policies/{policy_id}/tidy', {
          headers: headers(),
          params: { path: path() },
          body: { ...x, request_key: keyOf(`tidy ${at()}`, x) },
        }),
      ),
  })
  /** What becomes otherwise when a rule that is there for a while ends. */
  function ending(asking: Asking, rule_id: number, signal: AbortSignal) {
    return data(
      api.POST('/api/networks/{network_id}/policies/{policy_id}/rules/{rule_id}/ending', {
        params: { path: { network_id: network.value, policy_id: policy.value!, rule_id } },
        body: asking,
        signal,
      }),
    )
  }
  /** What an edit of this policy would do. Changes nothing. */
  function consequence(asking: Asking, edit: Edit, signal: AbortSignal) {
    return data(
      api.POST('/api/networks/{network_id}/policies/{policy_id}/consequence', {
        params: { path: path() },
        body: { ...asking, edit },
        signal,
      }),
    )
  }
  /** Look again after a conflict. */
  function refresh(): void {
    void client.invalidateQueries({ queryKey: ['network', network.value] })
    void client.invalidateQueries({ queryKey: ['policy', network.value] })
  }
  return {
    add,
    change,
    many,
    move,
    remove,
    tidy,
    addSection,
    renameSection,
    deleteSection,
    consequence,
    ending,
    refresh,
  }
}
