<script setup lang="ts">
/** While a rule is dragged: what it would decide where it is held. */
import type { Previewed, RuleRow } from '@/api/client'
import { decidesSentence, works } from '@/logic/words'

defineProps<{ row: RuleRow; target: number; told: Previewed | null; stale: boolean }>()
</script>

<template>
  <section class="preview" aria-live="polite" data-testid="drop-preview">
    <h2>
      {{
        target === row.position
          ? `Put back at ${target}`
          : `If you drop it here (${row.position} → ${target})`
      }}
    </h2>
    <p class="soft small">{{ row.rule.name }}</p>
    <div v-if="told?.decided && told.position" class="fact" :class="[told.decided.decides, { stale }]">
      <strong>{{ decidesSentence(told.decided, told.position) }}</strong>
      <p v-if="told.advice">{{ works(told.advice) }}</p>
      <p v-if="told.decided.witness" class="small soft">
        decides, for example <span class="raw">{{ told.decided.witness.text }}</span>
      </p>
    </div>
    <p class="soft small">Let go to move it, Esc to leave it where it is.</p>
  </section>
</template>

<style scoped>
.preview {
  padding: 18px 16px;
}
.fact {
  margin: 12px 0;
  padding: 2px 0 2px 12px;
  border-left: 4px solid var(--depth-5);
}
.fact.none {
  border-left-color: var(--warning);
}
.fact.part {
  border-left-color: var(--depth-3);
}
.fact.stale {
  opacity: 0.5;
}
.fact p {
  margin: 3px 0;
}
</style>
