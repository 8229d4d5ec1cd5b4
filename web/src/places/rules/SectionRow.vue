<script setup lang="ts">
/** The heading of a run of rules, which folds them away. */
import type { Section } from '@/places/rules/lines'
import { counted } from '@/words'

defineProps<{ section: Section; count: number; folded: boolean; writable: boolean }>()
const emit = defineEmits<{ fold: []; rename: []; drop: [] }>()
</script>

<template>
  <div class="section" role="row">
    <span role="gridcell" class="cell">
      <button
        class="plain heading"
        :aria-expanded="!folded"
        :title="section.description"
        @click="emit('fold')"
      >
        <span aria-hidden="true" class="turn" :class="{ shut: folded }">⌄</span>
        {{ section.name }}
      </button>
      <span class="soft small">{{ counted(count, 'rule') }}</span>
      <template v-if="writable">
        <button class="link small act" @click="emit('rename')">rename</button>
        <button class="link small act" @click="emit('drop')">delete the heading</button>
      </template>
    </span>
  </div>
</template>

<style scoped>
.section {
  height: 100%;
  padding: 9px 14px 0 12px;
  background: color-mix(in srgb, var(--depth-1) 60%, transparent);
  border-bottom: 1px solid var(--hair);
}
.cell {
  display: flex;
  align-items: baseline;
  gap: 12px;
}
.heading {
  font-weight: 650;
}
.turn {
  display: inline-block;
  width: 14px;
}
.turn.shut {
  transform: rotate(-90deg);
}
.act {
  opacity: 0;
}
.section:hover .act,
.act:focus-visible {
  opacity: 1;
}
</style>
