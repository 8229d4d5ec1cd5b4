<script setup lang="ts">
/** While a rule is carried: what would change if it were put where it is held, and where else it would work. */
import type { RuleRow } from '@/api/client'
import { type Consequence, otherPlaces, starved } from '@/editing/changes'
import { decidesSentence, works } from '@/words'
import ConsequenceList from '@/editing/ConsequenceList.vue'

defineProps<{
  row: RuleRow
  target: number
  places: number
  told: Consequence | null
  stale: boolean
  /** Carried by keys: it is put down by a key or a button. */
  byKeys: boolean
}>()
const emit = defineEmits<{ put: []; back: []; place: [place: number] }>()
</script>

<template>
  <section class="preview" data-testid="drop-preview">
    <h2>
      {{
        target === row.position
          ? `Put back at ${target}`
          : `If you drop it here (${row.position} → ${target})`
      }}
    </h2>
    <p class="soft small">{{ row.rule.name }}</p>
    <template v-if="told?.look">
      <div class="fact" :class="[told.look.decided.decides, { stale }]">
        <strong>{{ decidesSentence(told.look.decided, told.look.position) }}</strong>
        <p v-if="told.look.advice && told.look.decided.decides === 'none'">
          {{ works(told.look.advice) }}
          <button v-if="byKeys" type="button" class="link" @click="emit('place', told.look.advice.best)">
            Hold it at {{ told.look.advice.best }}
          </button>
        </p>
        <p v-if="told.look.advice && starved(told.look.advice, target)" class="warning">
          {{ starved(told.look.advice, target) }}
        </p>
      </div>
    </template>
    <ConsequenceList v-if="target !== row.position" :told="told" :stale="stale" :few="6" />
    <template v-if="told?.look?.advice">
      <h3>Other places</h3>
      <p class="small" :class="{ stale }">{{ otherPlaces(told.look.advice, places) }}</p>
    </template>
    <div v-if="byKeys" class="buttons">
      <v-btn color="primary" @click="emit('put')">Drop here <kbd>↵</kbd></v-btn>
      <v-btn variant="outlined" @click="emit('back')">Put back <kbd>Esc</kbd></v-btn>
    </div>
    <p v-else class="soft small">Let go to move it, Esc to leave it where it is.</p>
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
.stale {
  opacity: 0.5;
}
.fact p {
  margin: 3px 0;
}
h3 {
  font-size: 13px;
  margin: 14px 0 3px;
}
.buttons {
  display: flex;
  gap: 10px;
  margin-top: 16px;
}
kbd {
  margin-left: 6px;
}
</style>
