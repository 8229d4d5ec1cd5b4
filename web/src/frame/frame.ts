/** What every place shares: the network, its names, its revision. */
import { computed, type ComputedRef, inject, type InjectionKey, provide, type Ref } from 'vue'
import type { NameOut, NetworkOut } from '@/api/client'
import { useNames } from '@/api/names'
import { useNetwork } from '@/api/network'

interface FrameState {
  id: Ref<number>
  network: Ref<NetworkOut | undefined>
  names: ComputedRef<NameOut[]>
  revision: ComputedRef<number>
  error: Ref<Error | null>
}

const KEY: InjectionKey<FrameState> = Symbol('frame')

export function provideFrame(id: Ref<number>): FrameState {
  const { data: network, error } = useNetwork(id)
  const revision = computed(() => network.value?.revision ?? -1)
  const { data: names } = useNames(id, revision)
  const state = { id, network, names: computed(() => names.value ?? []), revision, error }
  provide(KEY, state)
  return state
}

export function useFrame(): FrameState {
  const state = inject(KEY)
  if (!state) throw new Error('outside the frame')
  return state
}
