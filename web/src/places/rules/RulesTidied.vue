<script setup lang="ts">
/** What could go without any change, step by step from the last rule to the first, each with its reason. */
import { computed, ref, toRef } from 'vue'
import type { Shapes } from '@/api/client'
import { useTidy } from '@/api/policies'
import CheckBox from '@/ui/CheckBox.vue'
import { figure } from '@/words'

type Step = Shapes['TidyStep']

const props = defineProps<{
  network: number
  policy: number
  revision: number
  writable: boolean
  busy: boolean
}>()
const emit = defineEmits<{
  out: [rules: number[], into: number[], merge: boolean]
  keep: [id: number]
  go: [id: number]
  close: []
}>()
const SHOWN = 200
const merge = ref(false)
/** Rules that stay for now; what else could go is worked out anew without them. */
const staying = ref<{ id: number; name: string; position: number | null }[]>([])
const { data, error, isFetching } = useTidy(
  toRef(props, 'network'),
  toRef(props, 'policy'),
  toRef(props, 'revision'),
  merge,
  computed(() => staying.value.map((rule) => rule.id)),
)
const steps = computed(() => data.value?.steps ?? [])
const idOf = (step: Step) => step.rule.id!

function into(step: Step): number[] {
  return step.why === 'merged' ? step.by.flatMap((by) => (by.id === null ? [] : [by.id])) : []
}
function outAll(): void {
  emit('out', steps.value.map(idOf), steps.value.flatMap(into), merge.value)
}
function stay(step: Step): void {
  staying.value = [...staying.value, { ...step.rule, id: idOf(step) }]
}
function back(id: number): void {
  staying.value = staying.value.filter((rule) => rule.id !== id)
}
</script>

<template>
  <section class="tidied" @keydown.esc="emit('close')">
    <header>
      <h2>Tidy</h2>
      <button class="link small" @click="emit('close')">close</button>
    </header>
    <p class="soft small">
      From the last rule to the first, each judged against what is left. Together they change nothing: no flow
      and no log.
    </p>
    <CheckBox v-model="merge">merge rules that do the same, too</CheckBox>
    <p v-if="error" class="problem" role="alert">{{ error.message }}</p>
    <p v-else-if="!data" class="soft">Being worked out …</p>
    <p v-else-if="!steps.length"><strong>Nothing can go:</strong> every rule is needed for something.</p>
    <template v-else>
      <p aria-live="polite">
        <strong>{{ figure(steps.length) }} of {{ figure(data.left + steps.length) }} can go:</strong> same
        effect, proven.
      </p>
      <v-btn v-if="writable" color="primary" :loading="busy || isFetching" @click="outAll"
        >Delete {{ steps.length === 1 ? 'it' : `all ${figure(steps.length)}` }}</v-btn
      >
      <ol>
        <li v-for="step in steps.slice(0, SHOWN)" :key="idOf(step)">
          <button class="link" @click="emit('go', idOf(step))">
            {{ step.rule.position }} {{ step.rule.name }}
          </button>
          <div class="small">{{ step.text }}</div>
          <div v-if="writable" class="small acts">
            <button class="link" @click="emit('out', [idOf(step)], into(step), merge)">delete</button>
            <button class="link" @click="stay(step)">skip for now</button>
            <button class="link" @click="emit('keep', idOf(step))">mark to stay</button>
          </div>
        </li>
      </ol>
      <p v-if="steps.length > SHOWN" class="soft small">and {{ figure(steps.length - SHOWN) }} more</p>
    </template>
    <template v-if="staying.length">
      <h3>Skipped for now</h3>
      <ul class="small">
        <li v-for="rule in staying" :key="rule.id">
          {{ rule.position }} {{ rule.name }}
          <button class="link" @click="back(rule.id)">judge it again</button>
        </li>
      </ul>
    </template>
    <p v-if="data?.undecided.length" class="warning small">
      Not settled within the work limit: {{ data.undecided.slice(0, 5).join(', ') }}. They stay.
    </p>
  </section>
</template>

<style scoped>
.tidied {
  padding: 18px 16px;
}
header {
  display: flex;
  justify-content: space-between;
  align-items: baseline;
}
p {
  margin: 8px 0;
}
h3 {
  font-size: 13px;
  margin: 14px 0 3px;
}
ol,
ul {
  list-style: none;
  padding: 0;
  font-size: 13.5px;
}
ol {
  margin-top: 12px;
}
li {
  padding: 7px 0;
  border-top: 1px solid var(--hair);
}
.acts {
  display: flex;
  gap: 14px;
}
</style>
