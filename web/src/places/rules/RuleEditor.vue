<script setup lang="ts">
/** A rule being written, beside the list: what it would decide here is told before it is saved. */
import { computed, onBeforeUnmount, onMounted, ref, watch } from 'vue'
import type { Consequence, Edit, NameOut, PlaceIn, Rule, RuleRow } from '@/api/client'
import ConsequenceList from '@/editing/ConsequenceList.vue'
import { useEditing } from '@/editing/editing'
import EditingNotes from '@/editing/EditingNotes.vue'
import { closesList } from '@/editing/escape'
import { type WrittenWhere, writtenAt } from '@/places/rules/writingRule'
import type { Writing } from '@/places/rules/mode'
import { blank, complete, type Draft, draftOf, problemsOf, ruleOf, wordOf } from '@/places/rules/ruleDraft'
import RuleFields from '@/places/rules/RuleFields.vue'
import RuleOutlook from '@/places/rules/RuleOutlook.vue'

const props = defineProps<{
  network: number
  policy: number
  /** What is written, and where it would stand. */
  at: Writing
  /** The rule as it is now, if it is an existing one; others may save it meanwhile. */
  now: RuleRow | null
  place: PlaceIn
  names: NameOut[]
  /** What it would do if it were saved now; null while it cannot be told. */
  told: Consequence | null
  stale: boolean
  save: (rule: Rule, ver: number) => Promise<unknown>
}>()
const emit = defineEmits<{
  close: []
  place: [position: number]
  ask: [question: string]
  /** The edit as it is written now, or null while it is not whole. */
  edit: [edit: Edit | null]
}>()

const PAUSE_MS = 60

function read(): Draft {
  const rule = props.now?.rule ?? props.at.rule
  return rule ? draftOf(rule) : blank()
}
const { draft, base, resumed, problems, failure, meanwhile, busy, dirty, act } = useEditing<Draft>({
  read,
  ver: () => props.now?.ver,
  place: () => writtenAt(props.network, props.policy, props.at.id),
  gone: () => props.at.gone,
  also: (): WrittenWhere => ({ index: props.at.index, works: props.at.works }),
  plain: ruleOf,
  word: wordOf,
})
const position = computed(() => props.at.index + 1)
const tried = ref(false)
const told = computed(() =>
  problemsOf(draft, [...problems.value, ...(props.told?.problems ?? [])], tried.value),
)
const look = computed(() => props.told?.look ?? null)

/** Something has been typed that is not asked about yet. */
const typing = ref(false)
let timer = 0
function tell(): void {
  typing.value = false
  if (!complete(draft)) return emit('edit', null)
  const rule = ruleOf(draft)
  // A name is not needed to know what the rule decides.
  if (!rule.name) rule.name = 'unnamed rule'
  const { id } = props.at
  const { place } = props
  emit('edit', id === null ? { act: 'insert', rule, place } : { act: 'write', rule_key: id, rule, place })
}
watch(
  [() => JSON.stringify(draft), () => JSON.stringify(props.place)],
  () => {
    typing.value = true
    clearTimeout(timer)
    timer = window.setTimeout(tell, PAUSE_MS)
  },
  { immediate: true },
)
onBeforeUnmount(() => clearTimeout(timer))
onMounted(() => document.getElementById('rule-name')?.focus())

// Where it works: as long as nobody has chosen the place, a rule that another would take from rises above it.
let rising = props.at.works
watch(look, (now) => {
  if (rising && now?.advice && now.position > now.advice.best) emit('place', now.advice.best)
})
function put(place: number): void {
  rising = false
  emit('place', place)
}

async function submit(): Promise<void> {
  tried.value = true
  if (!draft.name.trim() || !complete(draft)) return
  await act(() => props.save(ruleOf(draft), base.value.ver))
}
</script>

<template>
  <form
    class="editor form-panel"
    novalidate
    @submit.prevent="submit"
    @keydown.esc.stop="closesList($event) || emit('close')"
  >
    <div class="fields">
      <h2>
        {{ at.id === null ? 'A new rule' : 'Rule' }}
        <span class="soft small at"
          >at {{ position }}{{ look?.decided.decides === 'all' ? ', where it works' : '' }}</span
        >
      </h2>
      <p v-if="at.beside" class="soft small beside">
        A member for a while is a rule of its own, beside {{ at.beside }}. Whom is it for? Its last day is
        {{ draft.until || 'not told yet' }}.
      </p>
      <RuleFields v-model="draft" :network="network" :names="names" :problems="told" />
    </div>
    <div class="foot">
      <EditingNotes :gone="at.gone" :resumed="resumed" :meanwhile="meanwhile" />
      <RuleOutlook v-if="look" :look="look" :stale="stale || typing" @put="put" @ask="emit('ask', $event)" />
      <ConsequenceList
        v-if="look && (dirty || at.id === null)"
        :told="props.told"
        :stale="stale || typing"
        :few="6"
        @ask="emit('ask', $event)"
      />
      <p v-if="failure && !meanwhile" class="problem" role="alert">{{ failure }}</p>
      <div class="form-end">
        <v-btn type="submit" color="primary" :loading="busy">{{
          at.gone ? 'Add as new' : at.id === null ? 'Add here' : 'Save'
        }}</v-btn>
        <v-btn variant="outlined" @click="emit('close')">{{ dirty ? 'Discard' : 'Close' }}</v-btn>
      </div>
    </div>
  </form>
</template>

<style scoped>
.editor {
  height: 100%;
  min-height: 0;
  padding: 0;
}
.editor::after {
  content: none;
}
.editor > .fields {
  flex: 1 1 auto;
  min-height: 180px;
  overflow-y: auto;
  padding: 14px 16px 10px;
}
.editor > .foot {
  flex: 0 1 auto;
  max-height: 52%;
  display: flex;
  flex-direction: column;
  overflow-y: auto;
  padding: 0 16px;
  border-top: 2px solid var(--ink);
}
.at {
  font-weight: 400;
}
</style>
