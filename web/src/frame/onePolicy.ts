/** A place that is about one policy: without one in the address it goes to the first there is. */
import { computed, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { useFrame } from '@/frame/frame'

export function useOnePolicy() {
  const route = useRoute()
  const router = useRouter()
  const { id: network, network: whole } = useFrame()
  const policyId = computed(() => (route.params.policy ? Number(route.params.policy) : null))
  watch(
    [policyId, whole],
    () => {
      const first = whole.value?.policies[0]
      if (policyId.value === null && first)
        void router.replace({
          name: 'rules',
          params: { network: network.value, policy: first.id },
          query: route.query,
        })
    },
    { immediate: true },
  )
  return policyId
}
