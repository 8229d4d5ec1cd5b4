<script setup lang="ts">
/** Beside an answer: what is in force, if that is otherwise, and which change made it what it is. */
import { computed } from 'vue'
import type { AnswerOut } from '@/api/client'
import { useReleases } from '@/api/releases'
import { useFrame } from '@/frame/frame'
import { reach } from '@/places/editions/releases'
import SinceWhen from '@/frame/SinceWhen.vue'

defineProps<{ answer: AnswerOut }>()
const emit = defineEmits<{ leave: [] }>()
const { data: releases } = useReleases(useFrame().id)
const short = computed(() => reach(releases.value))
</script>

<template>
  <p v-if="answer.in_force" class="beside" data-testid="in-force">
    <strong
      >In force<template v-if="short"> ({{ short }})</template>:</strong
    >
    {{ answer.in_force }}
  </p>
  <SinceWhen v-if="answer.since" :since="answer.since" @leave="emit('leave')" />
</template>

<style scoped>
.beside {
  padding: 6px 0 6px 12px;
  border-left: 4px solid var(--focus);
}
</style>
