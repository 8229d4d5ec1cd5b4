<script setup lang="ts">
/** Beside an answer: what is in force, if that is otherwise, and which change made it what it is. */
import { computed } from 'vue'
import { useRoute } from 'vue-router'
import type { AnswerOut, Shapes } from '@/api/client'
import { useReleases } from '@/api/releases'
import { useFrame } from '@/frame/frame'
import { reach } from '@/places/editions/releases'
import { moment } from '@/ui/dates'

defineProps<{ answer: AnswerOut }>()
const emit = defineEmits<{ leave: [] }>()
const route = useRoute()
const { data: releases } = useReleases(useFrame().id)
const short = computed(() => reach(releases.value))

/** The change that made the answer what it is. */
function sinceWhen(since: Shapes['SinceOut']): string {
  if (!since.change)
    return since.whole
      ? 'It has been so since the network was brought in.'
      : `It has been so at least since change ${since.revision}; further back was not looked.`
  const before = since.before === null ? 'it could not be asked' : since.before
  return `Since ${moment(since.at ?? '')}: ${since.person}, ${since.act}. Before that: ${before}.`
}
</script>

<template>
  <p v-if="answer.in_force" class="beside" data-testid="in-force">
    <strong
      >In force<template v-if="short"> ({{ short }})</template>:</strong
    >
    {{ answer.in_force }}
  </p>
  <p v-if="answer.since" class="beside" data-testid="since">
    {{ sinceWhen(answer.since) }}
    <router-link
      v-if="answer.since.change"
      class="link"
      :to="{
        name: 'editions',
        params: { network: route.params.network },
        query: { before: `change ${answer.since.revision - 1}`, after: `change ${answer.since.revision}` },
      }"
      @click="emit('leave')"
      >what that change did</router-link
    >
  </p>
</template>

<style scoped>
.beside {
  padding: 6px 0 6px 12px;
  border-left: 4px solid var(--focus);
}
</style>
