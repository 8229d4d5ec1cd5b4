<script setup lang="ts">
/** The change that made something what it is, by whom, and what it was before. */
import { useRoute } from 'vue-router'
import type { Shapes } from '@/api/client'
import { moment } from '@/ui/dates'

const props = withDefaults(
  defineProps<{
    since: Shapes['SinceOut']
    /** What it was before where it was not there, or could not be asked. */
    nothing?: string
  }>(),
  { nothing: 'it could not be asked' },
)
const emit = defineEmits<{ leave: [] }>()
const route = useRoute()

function sinceWhen(since: Shapes['SinceOut']): string {
  if (!since.change)
    return since.whole
      ? 'It has been so since the network was brought in.'
      : `It has been so at least since change ${since.revision}; further back was not looked.`
  return `Since ${moment(since.at ?? '')}: ${since.person}, ${since.act}. Before that: ${since.before ?? props.nothing}.`
}
</script>

<template>
  <p class="beside" data-testid="since">
    {{ sinceWhen(since) }}
    <router-link
      v-if="since.change"
      class="link"
      :to="{
        name: 'editions',
        params: { network: route.params.network },
        query: { before: `change ${since.revision - 1}`, after: `change ${since.revision}` },
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
