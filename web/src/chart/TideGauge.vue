<script setup lang="ts">
/** How much of what a rule matches it decides: full, part, or empty and struck through. */
import { computed } from 'vue'
import type { Decided } from '@/api/client'

const props = defineProps<{ decides: Decided['decides']; off?: boolean }>()

const WORDS = {
  all: 'decides all it matches',
  part: 'decides a part',
  none: 'decides nothing',
  undecided: 'undecided',
  pending: 'being worked out',
}
const words = computed(() => (props.off ? 'switched off' : WORDS[props.decides]))
</script>

<template>
  <svg
    width="14"
    height="28"
    viewBox="-2 -2 14 28"
    role="img"
    :aria-label="words"
    class="gauge"
    :class="{ off }"
  >
    <title>{{ words }}</title>
    <rect
      width="9"
      height="23"
      class="frame"
      :class="{ broken: decides === 'undecided' || decides === 'pending' || off }"
    />
    <template v-if="!off">
      <rect v-if="decides === 'all'" width="9" height="23" class="water" />
      <rect v-else-if="decides === 'part'" y="11.5" width="9" height="11.5" class="water" />
      <path v-else-if="decides === 'none'" d="M-2 25 L11 -2" class="struck" />
      <text v-else-if="decides === 'undecided'" x="4.5" y="16" text-anchor="middle" class="unknown">?</text>
    </template>
  </svg>
</template>

<style scoped>
.gauge {
  overflow: visible;
  display: block;
}
.frame {
  fill: none;
  stroke: var(--soft);
  stroke-width: 1.2;
}
.broken {
  stroke-dasharray: 2.5 2;
}
.water {
  fill: var(--depth-5);
}
.struck {
  stroke: var(--warning);
  stroke-width: 2;
}
.unknown {
  font-size: 12px;
  fill: var(--soft);
}
</style>
