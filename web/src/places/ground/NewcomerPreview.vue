<script setup lang="ts">
/** What a segment that is not there yet would reach, and who would reach it, wherever it might be put. */
import { computed, onBeforeUnmount, ref, watch } from 'vue'
import type { GroundOut } from '@/api/client'
import { consequenceOfNewcomer } from '@/api/ground'
import ConsequenceList from '@/editing/ConsequenceList.vue'
import { useConsequence } from '@/editing/consequence'

const props = defineProps<{ network: number; ground: GroundOut; segment: Record<string, unknown> }>()
const emit = defineEmits<{ ask: [question: string] }>()
const PAUSE_MS = 200

/** A device and a zone that it has an interface in. */
const places = computed(() =>
  props.ground.devices.flatMap((device) =>
    [...new Set(device.interfaces.map((i) => i.thing.zone ?? null))].map((zone) => ({
      key: `${device.id} ${zone ?? ''}`,
      device: device.id,
      zone,
      words: `${device.thing.name}, ${zone ?? 'no zone'}`,
    })),
  ),
)
const wanted = ref('')
const place = computed(() => places.value.find((p) => p.key === wanted.value) ?? null)
const { told, stale, failure, about } = useConsequence(
  'newcomer',
  (asked, made: { thing: object; device_id: number; zone: string | null }, signal) =>
    consequenceOfNewcomer(props.network, { ...asked, network: true, ...made }, signal),
)
let timer = 0
watch([place, () => JSON.stringify(props.segment)], () => {
  clearTimeout(timer)
  timer = window.setTimeout(() => {
    const { value } = place
    void about(value && { thing: props.segment, device_id: value.device, zone: value.zone })
  }, PAUSE_MS)
})
onBeforeUnmount(() => clearTimeout(timer))
</script>

<template>
  <div v-if="places.length" class="newcomer">
    <label for="newcomer-place">What it would reach, and who would reach it, on</label>
    <select id="newcomer-place" v-model="wanted">
      <option value="">a device, in a zone…</option>
      <option v-for="p in places" :key="p.key" :value="p.key">{{ p.words }}</option>
    </select>
    <p v-if="place && failure" class="small soft">{{ failure }}</p>
    <template v-if="place && told">
      <p v-for="problem in told.problems" :key="problem.message" class="small soft">{{ problem.message }}</p>
      <ConsequenceList :told="told" :stale="stale" named @ask="emit('ask', $event)" />
      <p v-if="told.network?.equal" class="small">It would reach nobody, and nobody would reach it.</p>
      <p class="small soft">As if its neighbours’ routes led to it, too. Nothing is saved by this.</p>
    </template>
  </div>
</template>

<style scoped>
.newcomer {
  margin-top: 14px;
}
.newcomer label {
  display: block;
  font-size: 13px;
  margin-bottom: 4px;
}
.newcomer select {
  width: 100%;
  padding: 8px;
  border: 1px solid var(--soft);
  border-radius: 2px;
  background: var(--sheet);
  color: var(--ink);
}
</style>
