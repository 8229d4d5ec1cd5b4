<script setup lang="ts">
/** Whether a device still has what it was given: what it told last, and asking it. */
import { toRef } from 'vue'
import { useDrift } from '@/api/releases'
import { moment } from '@/ui/dates'
import { useAct } from '@/editing/act'
import { useFrame } from '@/frame/frame'

const props = defineProps<{ device: number; may: boolean }>()
const { id: network } = useFrame()
const { last, ask } = useDrift(network, toRef(props, 'device'))
const told = last.data
const { busy, problem, act } = useAct()
</script>

<template>
  <div class="drift small">
    <button v-if="may" class="link" :disabled="busy" @click="act(() => ask.mutateAsync())">
      {{ busy ? 'asking …' : told ? 'ask again' : 'what does it have?' }}
    </button>
    <span v-if="problem" class="problem" role="alert">{{ problem }}</span>
    <span v-else-if="told" role="status">
      <span v-if="told.failed" class="problem">{{ told.failed }}</span>
      <template v-else-if="!told.differences.length">
        {{ told.edition === null ? 'nothing of ours' : `edition ${told.edition}, as released` }}</template
      >
      <span v-else class="warning"
        >not as released:
        <span v-for="d in told.differences" :key="d.what">{{ d.what }} {{ d.how }}. </span></span
      >
      <span class="soft"> ({{ moment(told.at) }})</span>
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
