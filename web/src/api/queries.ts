/** The page's view of the records: cached by what the answer depends on, refreshed when the revision moves. */
import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, type Ref, toValue } from 'vue'
import type { Kind } from '@/editing/things'
import type { Asking } from '@/editing/consequence'
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

const POLL_MS = 4000
const MINUTE_MS = 60_000

export function useNetworks() {
  return useQuery({ queryKey: ['networks'], queryFn: () => data(api.GET('/api/networks')) })
}

/** The network, asked for again and again, so that other people's edits arrive by themselves. */
export function useNetwork(network: Ref<number>) {
  return useQuery(computed(() => ({ ...networkOf(network.value), refetchInterval: POLL_MS })))
}

export function networkOf(network_id: number) {
  return {
    queryKey: ['network', network_id],
    queryFn: () => data(api.GET('/api/networks/{network_id}', { params: { path: { network_id } } })),
  }
}

export function useNames(network: Ref<number>, revision: Ref<number>) {
  return useQuery({
    queryKey: ['names', network, revision],
    queryFn: () =>
      data(api.GET('/api/networks/{network_id}/names', { params: { path: { network_id: network.value } } })),
    placeholderData: keepPreviousData,
    enabled: computed(() => revision.value >= 0),
  })
}

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

export function useGround(network: Ref<number>, revision: Ref<number>) {
  return useQuery({
    queryKey: ['ground', network, revision],
    queryFn: () =>
      data(api.GET('/api/networks/{network_id}/ground', { params: { path: { network_id: network.value } } })),
    enabled: computed(() => revision.value >= 0),
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

export function useName(network: Ref<number>, id: Ref<number | null>, revision: Ref<number>) {
  return useQuery<Shapes['NameDetail'], Problem>({
    queryKey: ['name', network, id, revision],
    queryFn: () =>
      data(
        api.GET('/api/networks/{network_id}/names/{name_id}', {
          params: { path: { network_id: network.value, name_id: id.value! } },
        }),
      ),
    enabled: computed(() => id.value !== null && revision.value >= 0),
    retry: false,
    placeholderData: (before: Shapes['NameDetail'] | undefined) =>
      before?.id === id.value ? before : undefined,
  })
}

/** What has an address of its own to be edited at: the ground, schedules, and the clock they go by. */
type Edited = Kind | 'schedules' | 'clock'

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

/** Of what a change is told before it is saved; one route per kind, each typed by its record; here they are alike. */
type Told = Exclude<Edited, 'zones' | 'clock'>

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

export function useEditions(network: Ref<number>, revision: Ref<number>) {
  return useQuery<Shapes['EditionsOut'], Problem>({
    queryKey: ['editions', network, revision],
    queryFn: () =>
      data(
        api.GET('/api/networks/{network_id}/editions', { params: { path: { network_id: network.value } } }),
      ),
    enabled: computed(() => revision.value >= 0),
    placeholderData: keepPreviousData,
  })
}

/** Two versions compared, by name: `draft`, `in force`, `edition 12`, a moment; `to`: only what changes towards these. */
export function useComparison(
  network: Ref<number>,
  revision: Ref<number>,
  before: Ref<string>,
  after: Ref<string>,
  to: Ref<string>,
  enabled: Ref<boolean>,
) {
  return useQuery<Shapes['ComparisonOut'], Problem>({
    queryKey: ['comparison', network, revision, before, after, to],
    queryFn: ({ signal }) =>
      data(
        api.GET('/api/networks/{network_id}/comparison', {
          params: {
            path: { network_id: network.value },
            query: { before: before.value, after: after.value, to: to.value },
          },
          signal,
        }),
      ),
    enabled: computed(() => enabled.value && revision.value >= 0),
    retry: false,
    placeholderData: keepPreviousData,
  })
}

/** Edits of names, and going back and forth. Each moves the revision; what depends on it is asked for again. */
export function useNetworkEdits(network: Ref<number>) {
  const client = useQueryClient()
  const path = () => ({ network_id: network.value })
  const at = () => JSON.stringify(path())
  const namePath = (name_id: number) => ({ ...path(), name_id })

  async function arrived(): Promise<void> {
    await client.invalidateQueries({ queryKey: ['network', network.value] })
  }
  const options = { onSuccess: arrived }

  const addName = useMutation({
    ...options,
    mutationFn: (x: { kind: 'addresses' | 'service'; thing: Shapes['NameIn'] }) =>
      data(
        api.POST('/api/networks/{network_id}/names', {
          params: { path: path() },
          body: { ...x, request_key: keyOf(`addName ${at()}`, x) },
        }),
      ),
  })
  const changeName = useMutation({
    ...options,
    mutationFn: (x: { id: number; ver: number; thing: Shapes['NameIn'] }) =>
      data(
        api.PUT('/api/networks/{network_id}/names/{name_id}', {
          params: { path: namePath(x.id) },
          body: { thing: x.thing, ver: x.ver, request_key: keyOf(`changeName ${at()}`, x) },
        }),
      ),
  })
  const replaceName = useMutation({
    ...options,
    mutationFn: (x: { id: number; ver: number; by: string }) =>
      data(
        api.POST('/api/networks/{network_id}/names/{name_id}/replacement', {
          params: { path: namePath(x.id) },
          body: { by: x.by, ver: x.ver, request_key: keyOf(`replaceName ${at()}`, x) },
        }),
      ),
  })
  const deleteName = useMutation({
    ...options,
    mutationFn: (x: { id: number; ver: number }) =>
      data(
        api.DELETE('/api/networks/{network_id}/names/{name_id}', {
          params: {
            path: namePath(x.id),
            query: { ver: x.ver, request_key: keyOf(`deleteName ${at()}`, x) },
          },
        }),
      ),
  })
  // One route per kind of thing, each typed by its record; here they are alike.
  const addThing = useMutation({
    ...options,
    mutationFn: (x: { kind: Edited; thing: object; parent: number }) =>
      data<Shapes['ThingDone']>(
        api.POST(`/api/networks/{network_id}/things/${x.kind}` as '/api/networks/{network_id}/things/zones', {
          params: { path: path() },
          body: {
            thing: x.thing as Shapes['Zone'],
            parent_id: x.parent,
            request_key: keyOf(`addThing ${at()}`, x),
          },
        }),
      ),
  })
  const changeThing = useMutation({
    ...options,
    mutationFn: (x: { kind: Edited; id: number; ver: number; thing: object }) =>
      data<Shapes['ThingDone']>(
        api.PUT(
          `/api/networks/{network_id}/things/${x.kind}/{thing_id}` as '/api/networks/{network_id}/things/zones/{thing_id}',
          {
            params: { path: { ...path(), thing_id: x.id } },
            body: {
              thing: x.thing as Shapes['Zone'],
              ver: x.ver,
              request_key: keyOf(`changeThing ${at()}`, x),
            },
          },
        ),
      ),
  })
  const deleteThing = useMutation({
    ...options,
    mutationFn: (x: { id: number; ver: number }) =>
      data(
        api.DELETE('/api/networks/{network_id}/things/{thing_id}', {
          params: {
            path: { ...path(), thing_id: x.id },
            query: { ver: x.ver, request_key: keyOf(`deleteThing ${at()}`, x) },
          },
        }),
      ),
  })
  const undo = useMutation({
    ...options,
    mutationFn: () => data(api.POST('/api/networks/{network_id}/undo', { params: { path: path() } })),
  })
  const redo = useMutation({
    ...options,
    mutationFn: () => data(api.POST('/api/networks/{network_id}/redo', { params: { path: path() } })),
  })
  /** Well-known services that fit what is typed; offers, not yet part of the network. */
  function known(q: string, signal: AbortSignal) {
    return data(
      api.GET('/api/networks/{network_id}/known-services', {
        params: { path: path(), query: { q } },
        signal,
      }),
    )
  }
  /** The members that a text stands for, every one of them. Changes nothing. */
  function readMembers(space: 'address' | 'service', text: string) {
    return data(
      api.POST('/api/networks/{network_id}/members', { params: { path: path() }, body: { space, text } }),
    )
  }
  /** What bringing a text in would change. Changes nothing. */
  function toCome(
    body: { form: Shapes['BringIn']['form']; text: string; device: string },
    signal: AbortSignal,
  ) {
    return data(api.POST('/api/networks/{network_id}/to-come', { params: { path: path() }, body, signal }))
  }
  const bringIn = useMutation({
    ...options,
    mutationFn: (x: Omit<Shapes['BringInAt'], 'request_key'>) =>
      data(
        api.POST('/api/networks/{network_id}/bring-in', {
          params: { path: path() },
          body: { ...x, request_key: keyOf(`bringIn ${at()}`, x) },
        }),
      ),
  })
  const makeEdition = useMutation({
    mutationFn: (comment: string) =>
      data(api.POST('/api/networks/{network_id}/editions', { params: { path: path() }, body: { comment } })),
    onSuccess: () => client.invalidateQueries({ queryKey: ['editions', network.value] }),
  })
  const restoreEdition = useMutation({
    ...options,
    mutationFn: (x: { number: number; revision: number }) =>
      data(
        api.POST('/api/networks/{network_id}/editions/{number}/restoration', {
          params: { path: { ...path(), number: x.number } },
          body: { revision: x.revision, request_key: keyOf(`restoreEdition ${at()}`, x) },
        }),
      ),
  })
  return {
    makeEdition,
    restoreEdition,
    known,
    readMembers,
    toCome,
    bringIn,
    addThing,
    changeThing,
    deleteThing,
    addName,
    changeName,
    replaceName,
    deleteName,
    undo,
    redo,
  }
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

/** The flows of a CSV text, decided in one policy. Changes nothing. */
export function decideFlows(
  network_id: number,
  policy_id: number,
  text: string,
  at: string,
  signal: AbortSignal,
) {
  return data(
    api.POST('/api/networks/{network_id}/policies/{policy_id}/decide', {
      params: { path: { network_id, policy_id } },
      body: { text, at },
      signal,
    }),
  )
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

/** What a change of a name would do in every policy. Changes nothing. */
export function consequenceOfName(
  network_id: number,
  name_id: number,
  body: Shapes['AskNameEffect'],
  signal: AbortSignal,
) {
  return data(
    api.POST('/api/networks/{network_id}/names/{name_id}/consequence', {
      params: { path: { network_id, name_id } },
      body,
      signal,
    }),
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
    refresh,
  }
}
