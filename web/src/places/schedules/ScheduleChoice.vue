<script setup lang="ts">
/** When a rule is active: always, or by one of the schedules, with its week. */
import { computed } from 'vue'
import { useSchedules } from '@/api/schedules'
import { useFrame } from '@/frame/frame'
import ChoiceField from '@/ui/ChoiceField.vue'
import ScheduleGlance from '@/places/schedules/ScheduleGlance.vue'

defineProps<{ network: number; problems: readonly string[] }>()
const chosen = defineModel<string | null>({ required: true })
const { id, revision } = useFrame()
const { data: listed } = useSchedules(id, revision)
const items = computed<{ title: string; value: string | null }[]>(() => [
  { title: 'always', value: null },
  ...(listed.value?.schedules ?? []).map((s) => ({ title: s.thing.name, value: s.thing.name })),
])
</script>

<template>
  <ChoiceField id="rule-when" v-model="chosen" label="When" :items="items" :problems="problems" />
  <ScheduleGlance v-if="chosen" :network="network" :name="chosen" />
</template>
