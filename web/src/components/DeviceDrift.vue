<script setup lang="ts">
/** Whether a device still has what it was given: asked of the device when somebody wants to know. */
import { computed, ref } from 'vue'
import { useDrift } from '@/api/releases'
import { useFrame } from '@/state/frame'

const props = defineProps<{ device: number }>()
const { id: network } = useFrame()
const asked = ref(false)
const {
  data: told,
  isFetching,
  refetch,
} = useDrift(
  network,
  computed(() => props.device),
  asked,
)
function look(): void {
  if (asked.value) void refetch()
  asked.value = true
}
</script>

<template>
  <div class="drift small">
    <button class="link" :disabled="isFetching" @click="look">
      {{ isFetching ? 'asking …' : told ? 'ask again' : 'what does it have?' }}
    </button>
    <span v-if="told" role="status">
      <span v-if="told.failed" class="problem">{{ told.failed }}</span>
      <template v-else-if="!told.differences.length">
        {{ told.edition === null ? 'nothing of ours' : `edition ${told.edition}, as released` }}</template
      >
      <span v-else class="warning"
        >not as released:
        <span v-for="d in told.differences" :key="d.what">{{ d.what }} {{ d.how }}. </span></span
      >
    </span>
  </div>
</template>

<style scoped>
.drift {
  display: flex;
  gap: 10px;
  align-items: baseline;
}
</style>
