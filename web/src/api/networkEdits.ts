/** Edits of names and of the ground, editions, and going back and forth. */
import { useMutation, useQueryClient } from '@tanstack/vue-query'
import type { Ref } from 'vue'
import { api, data, type Shapes } from '@/api/client'
import { keyOf } from '@/api/keys'
import type { Edited } from '@/api/ground'

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
  const moveEntry = useMutation({
    ...options,
    mutationFn: (x: { id: number; ver: number; before: number | null }) =>
      data(
        api.POST('/api/networks/{network_id}/things/{thing_id}/move', {
          params: { path: { ...path(), thing_id: x.id } },
          body: { before_id: x.before, ver: x.ver, request_key: keyOf(`moveEntry ${at()}`, x) },
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
    moveEntry,
    deleteThing,
    addName,
    changeName,
    replaceName,
    deleteName,
    undo,
    redo,
  }
}
