<script setup lang="ts">
/** When a rule is active: always, or by one of the schedules, with its week. */
import { computed } from 'vue'
import { useSchedules } from '@/api/queries'
import { useFrame } from '@/frame/frame'
import ScheduleGlance from '@/places/schedules/ScheduleGlance.vue'

defineProps<{ network: number; problems: readonly string[] }>()
const chosen = defineModel<string | null>({ required: true })
const { id, revision } = useFrame()
const { data: listed } = useSchedules(id, revision)
const items = computed(() => [
  { title: 'always', value: null },
  ...(listed.value?.schedules ?? []).map((s) => ({ title: s.thing.name, value: s.thing.name })),
])
</script>

<template>
  <label class="head" for="rule-when">When</label>
  <v-select id="rule-when" v-model="chosen" :items="items" :error-messages="[...problems]" />
  <ScheduleGlance v-if="chosen" :network="network" :name="chosen" />
</template>

<style scoped>
.head {
  display: block;
  margin: 10px 0 3px;
  font-size: 13px;
}
</style>
