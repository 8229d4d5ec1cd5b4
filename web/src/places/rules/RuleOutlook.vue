<script setup lang="ts">
/** What the rule that is being written would decide where it stands, and where else it would work. */
import type { Shapes } from '@/api/client'
import { starved } from '@/editing/changes'
import { type Field, LABEL } from '@/places/rules/ruleDraft'
import { decidesSentence, works } from '@/words'

defineProps<{ look: Shapes['LookOut']; stale: boolean }>()
const emit = defineEmits<{ put: [place: number]; ask: [question: string] }>()
</script>

<template>
  <section
    class="outlook"
    :class="[look.decided.decides, { stale }]"
    aria-live="polite"
    data-testid="preview"
  >
    <strong>{{ decidesSentence(look.decided, look.position) }}</strong>
    <p v-if="look.advice && look.decided.decides !== 'all'">
      {{ works(look.advice) }}
      <button
        v-if="look.advice.best !== look.position"
        type="button"
        class="link"
        data-testid="put"
        @click="emit('put', look.advice.best)"
      >
        Put it at {{ look.advice.best }}
      </button>
    </p>
    <p v-if="look.advice && starved(look.advice, look.position)" class="warning">
      {{ starved(look.advice, look.position) }}
    </p>
    <p v-if="look.decided.witness" class="soft small">
      for example
      <button type="button" class="link raw" @click="emit('ask', look.decided.witness.question)">
        {{ look.decided.witness.text }}
      </button>
    </p>
    <p v-else-if="look.decided.taken" class="soft small">
      taken from it, for example
      <button type="button" class="link raw" @click="emit('ask', look.decided.taken.question)">
        {{ look.decided.taken.text }}
      </button>
    </p>
    <p v-for="hint in look.hints" :key="hint" class="small warning">{{ hint }}</p>
    <p v-for="(values, field) in look.expands" :key="field" class="soft small expands">
      {{ LABEL[field as Field] }}: <span class="raw">{{ values.join(', ') }}</span>
    </p>
  </section>
</template>

<style scoped>
.outlook {
  flex: none;
  margin-top: 10px;
  padding: 2px 0 2px 12px;
  border-left: 4px solid var(--depth-5);
  font-size: 13.5px;
}
.outlook.none {
  border-left-color: var(--warning);
}
.outlook.part {
  border-left-color: var(--depth-3);
}
.outlook.undecided {
  border-left-style: dashed;
}
.outlook.stale {
  opacity: 0.5;
}
p {
  margin: 3px 0;
}
.expands {
  overflow-wrap: anywhere;
}
</style>
