<script setup lang="ts">
/** When a rule is active: its schedule's week, exceptions included, and whether it is so now. */
import { computed } from 'vue'
import { useSchedules, useWeeks } from '@/api/schedules'
import { nowWords } from '@/places/schedules/week'
import { useFrame } from '@/frame/frame'
import WeekStrip from '@/places/schedules/WeekStrip.vue'

const props = defineProps<{ network: number; name: string }>()
const { id, revision } = useFrame()
const { data: listed } = useSchedules(id, revision)
const schedules = computed(() => listed.value?.schedules ?? [])
const { data: weeks } = useWeeks(id, revision, schedules)
const line = computed(() =>
  schedules.value.find((s) => s.thing.name.toLowerCase() === props.name.toLowerCase()),
)
const week = computed(() => (line.value ? weeks.value?.get(line.value.id) : undefined))
</script>

<template>
  <div v-if="line" class="glance" data-testid="glance">
    <p class="small">
      while
      <router-link class="link" :to="{ name: 'schedules', params: { network, schedule: line.id } }">{{
        line.thing.name
      }}</router-link>
      <span :class="line.over ? 'warning' : 'soft'"> · {{ nowWords(line) }}</span>
    </p>
    <WeekStrip v-if="week" :days="week.days" :today="week.today" />
  </div>
</template>

<style scoped>
.glance {
  margin: 10px 0;
}
</style>
