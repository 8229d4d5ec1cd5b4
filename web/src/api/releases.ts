/** What is in force, releases and their devices, reviews, and the audit, as the page sees them. */
import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'
import { moving } from '@/places/editions/releases'
import { api, data, type Problem, type Shapes } from '@/api/client'
import { keyOf } from '@/api/keys'

const SOON_MS = 1000
const LATER_MS = 6000

/** What is in force and the releases; asked often while one is under way. */
export function useReleases(network: Ref<number>) {
  return useQuery<Shapes['ReleasesOut'], Problem>({
    queryKey: ['releases', network],
    queryFn: () =>
      data(
        api.GET('/api/networks/{network_id}/releases', { params: { path: { network_id: network.value } } }),
      ),
    refetchInterval: (query) => (moving(query.state.data) ? SOON_MS : LATER_MS),
  })
}

/** What a release of an edition, or (null) the draft, would do now, and what stands against it. */
export function useProspect(network: Ref<number>, revision: Ref<number>, number: Ref<number | null>) {
  return useQuery<Shapes['ProspectOut'], Problem>({
    queryKey: ['releases', network, 'prospect', revision, number],
    queryFn: () =>
      data(
        api.GET('/api/networks/{network_id}/releases/prospect', {
          params: { path: { network_id: network.value }, query: { number: number.value } },
        }),
      ),
    enabled: computed(() => revision.value >= 0),
    retry: false,
    placeholderData: keepPreviousData,
  })
}

export function useLinks(network: Ref<number>) {
  return useQuery<Shapes['LinkOut'][], Problem>({
    queryKey: ['links', network],
    queryFn: () =>
      data(api.GET('/api/networks/{network_id}/links', { params: { path: { network_id: network.value } } })),
  })
}

/** How a device differed from what is in force when it was asked last, and asking it. */
export function useDrift(network: Ref<number>, device: Ref<number>) {
  const client = useQueryClient()
  const at = () => ({ params: { path: { network_id: network.value, device_id: device.value } } })
  const last = useQuery<Shapes['DriftOut'] | null, Problem>({
    queryKey: ['links', network, 'drift', device],
    queryFn: () => data(api.GET('/api/networks/{network_id}/links/{device_id}/drift', at())),
  })
  const ask = useMutation({
    mutationFn: () => data(api.POST('/api/networks/{network_id}/links/{device_id}/drift', at())),
    onSuccess: (seen) => client.setQueryData(['links', network.value, 'drift', device.value], seen),
  })
  return { last, ask }
}

/** Ask a device what it knows of the ground. Changes nothing. */
export function useReadGround(network: Ref<number>, device: Ref<number>) {
  return useMutation({
    mutationFn: () =>
      data(
        api.POST('/api/networks/{network_id}/links/{device_id}/ground', {
          params: { path: { network_id: network.value, device_id: device.value } },
        }),
      ),
  })
}

export function useReview(network: Ref<number>, revision: Ref<number>) {
  return useQuery<Shapes['ReviewOut'], Problem>({
    queryKey: ['review', network, revision],
    queryFn: () =>
      data(api.GET('/api/networks/{network_id}/review', { params: { path: { network_id: network.value } } })),
    enabled: computed(() => revision.value >= 0),
    refetchInterval: LATER_MS,
    placeholderData: keepPreviousData,
  })
}

/** What is said about the draft and its rules, or about one rule. */
export function useRemarks(network: Ref<number>, rule: Ref<number | null>) {
  return useQuery<Shapes['RemarkOut'][], Problem>({
    queryKey: ['remarks', network, rule],
    queryFn: () =>
      data(
        api.GET('/api/networks/{network_id}/review/remarks', {
          params: { path: { network_id: network.value }, query: { rule_id: rule.value } },
        }),
      ),
    refetchInterval: LATER_MS,
  })
}

/** Who did what when: of a network, or (`whole`) of everything. */
export function useAudit(
  network: Ref<number>,
  q: Ref<string>,
  whole: Ref<boolean>,
  before: Ref<number | null>,
) {
  return useQuery<Shapes['AuditOut'][], Problem>({
    queryKey: ['audit', network, q, whole, before],
    queryFn: () =>
      data(
        whole.value
          ? api.GET('/api/audit', { params: { query: { q: q.value, before: before.value } } })
          : api.GET('/api/networks/{network_id}/audit', {
              params: { path: { network_id: network.value }, query: { q: q.value, before: before.value } },
            }),
      ),
    placeholderData: keepPreviousData,
    staleTime: 0,
  })
}

/** Acts on releases, reviews and devices. Whatever shows them asks again. */
export function useReleaseActs(network: Ref<number>) {
  const client = useQueryClient()
  const path = () => ({ network_id: network.value })
  const onSettled = async () => {
    await Promise.all(
      ['releases', 'review', 'remarks', 'editions', 'comparison', 'links', 'audit', 'answer'].map((key) =>
        client.invalidateQueries({ queryKey: [key] }),
      ),
    )
  }
  const act = <T>(mutationFn: (x: T) => Promise<unknown>) => useMutation({ mutationFn, onSettled })
  const at = (number: number) => ({ params: { path: { ...path(), number } } })
  return {
    release: useMutation({
      onSettled,
      mutationFn: (body: Omit<Shapes['MakeRelease'], 'request_key'>) =>
        data(
          api.POST('/api/networks/{network_id}/releases', {
            params: { path: path() },
            body: { ...body, request_key: keyOf(`release ${network.value}`, body) },
          }),
        ),
    }),
    confirm: act((n: number) => api.POST('/api/networks/{network_id}/releases/{number}/confirmation', at(n))),
    takeBack: act((n: number) => api.POST('/api/networks/{network_id}/releases/{number}/way-back', at(n))),
    retry: act((n: number) => api.POST('/api/networks/{network_id}/releases/{number}/retry', at(n))),
    callOff: act((n: number) => api.DELETE('/api/networks/{network_id}/releases/{number}', at(n))),
    settings: act((body: Shapes['SettingsIn']) =>
      api.PUT('/api/networks/{network_id}/releases/settings', { params: { path: path() }, body }),
    ),
    link: act((x: { device_id: number; body: Shapes['LinkIn'] }) =>
      api.PUT('/api/networks/{network_id}/links/{device_id}', {
        params: { path: { ...path(), device_id: x.device_id } },
        body: x.body,
      }),
    ),
    unlink: act((device_id: number) =>
      api.DELETE('/api/networks/{network_id}/links/{device_id}', {
        params: { path: { ...path(), device_id } },
      }),
    ),
    sign: act((body: Shapes['SignDraft']) =>
      api.POST('/api/networks/{network_id}/review/signatures', { params: { path: path() }, body }),
    ),
    withdraw: act((signature_id: number) =>
      api.DELETE('/api/networks/{network_id}/review/signatures/{signature_id}', {
        params: { path: { ...path(), signature_id } },
      }),
    ),
    remark: act((body: Shapes['MakeRemark']) =>
      api.POST('/api/networks/{network_id}/review/remarks', { params: { path: path() }, body }),
    ),
    settle: act((x: { id: number; settled: boolean }) =>
      api.PUT('/api/networks/{network_id}/review/remarks/{remark_id}', {
        params: { path: { ...path(), remark_id: x.id } },
        body: { settled: x.settled },
      }),
    ),
  }
}
