<script setup lang="ts">
/** Two versions compared: what was edited, what that does, which findings come and go. */
import { computed } from 'vue'
import type { Shapes } from '@/api/client'
import ConsequenceList from '@/editing/ConsequenceList.vue'

const props = defineProps<{ told: Shapes['ComparisonOut']; stale: boolean; few?: number; edits?: boolean }>()
const emit = defineEmits<{ ask: [question: string] }>()
const effect = computed(() => ({
  ...props.told,
  generation: 0,
  problems: [],
  ground: props.told.network !== null,
  look: null,
  come: props.told.come ?? [],
  go: props.told.go ?? [],
}))
const holds = computed(
  () => (props.told.expectations?.breaks.length ?? 0) + (props.told.expectations?.mends.length ?? 0) > 0,
)
const called = (version: string) => (version === 'draft' ? 'the draft' : version)
const nothing = computed(() => !props.told.differences.length && !props.told.renames.length)
</script>

<template>
  <div class="compared-effect" :class="{ stale }">
    <p v-if="nothing">Nothing differs between {{ called(told.before) }} and {{ called(told.after) }}.</p>
    <template v-else>
      <h2>What that does</h2>
      <p v-if="told.equal"><strong>Same effect, proven.</strong></p>
      <ConsequenceList
        v-if="!told.equal || holds"
        :told="effect"
        :stale="stale"
        named
        :few="few ?? 60"
        @ask="emit('ask', $event)"
      />
      <template v-if="told.outside.length">
        <p class="warning">This differs, too; its effect on the network is not told yet:</p>
        <ul>
          <li v-for="text in told.outside" :key="text">{{ text }}</li>
        </ul>
      </template>
      <p v-if="!told.complete" class="warning">More may change than is told.</p>
      <p v-if="told.come === null" class="soft small">
        Which findings come and go is not told of lists so long.
      </p>
      <template v-if="edits">
        <h2>What was edited</h2>
        <ul>
          <li v-for="r in told.renames" :key="r.section + r.policy + r.old">
            {{ r.old }} is called {{ r.new }}
            <span class="soft"
              >{{ r.policy ? `rule of ${r.policy}` : r.section.replace('_', ' ') }}, no effect</span
            >
          </li>
          <li v-for="d in told.differences" :key="d.section + d.name">
            {{ d.name }}
            <span class="soft"
              >{{ d.section.replace('_', ' ') }}, {{ d.change }}{{ d.what.length ? ':' : '' }}</span
            >
            {{ d.what.join(', ') }}
          </li>
        </ul>
      </template>
    </template>
  </div>
</template>

<style scoped>
.compared-effect.stale {
  opacity: 0.5;
}
h2 {
  margin: 14px 0 4px;
}
h2:first-child {
  margin-top: 0;
}
ul {
  list-style: none;
  padding: 0;
}
li {
  padding: 2px 0;
}
</style>
