<script setup lang="ts">
/** A rule being written, beside the list: what it would decide here is told before it is saved. */
import { computed, onBeforeUnmount, onMounted, reactive, ref, watch } from 'vue'
import {
  type Consequence,
  type NameOut,
  type PlaceIn,
  Problem,
  type ProblemOut,
  type Rule,
  type Edit,
} from '@/api/client'
import {
  type Action,
  blank,
  complete,
  type Draft,
  draftOf,
  type Field,
  FIELDS,
  problemsAt,
  ruleOf,
  STATES,
} from '@/places/rules/ruleDraft'
import { merge } from '@/editing/merge'
import { starved } from '@/editing/changes'
import { statesExplained } from '@/places/schedules/week'
import { decidesSentence, works } from '@/words'
import { closesList } from '@/editing/escape'
import { useUnsaved } from '@/editing/unsaved'
import type { Left } from '@/places/rules/Rules.vue'
import ConsequenceList from '@/editing/ConsequenceList.vue'
import LineCode from '@/chart/LineCode.vue'
import MemberField from '@/editing/MemberField.vue'
import ScheduleChoice from '@/places/schedules/ScheduleChoice.vue'

const props = defineProps<{
  network: number
  rule: Rule | null
  ruleId: number | null
  /** The version of the rule as it is now; it rises when somebody else saves. */
  ver: number | null
  whereWorks: boolean
  position: number
  place: PlaceIn
  names: NameOut[]
  /** What it would do if it were saved now; null while it cannot be told. */
  told: Consequence | null
  stale: boolean
  save: (rule: Rule, ver: number | null) => Promise<unknown>
  /** Where what is written is kept until it is saved, and what was written there before the page was loaded. */
  at: string
  kept: Left | null
  /** It was an existing rule, and somebody has deleted it. */
  gone: boolean
}>()
const emit = defineEmits<{
  close: []
  place: [position: number]
  ask: [question: string]
  /** The edit as it is written now, or null while it is not whole. */
  edit: [edit: Edit | null]
}>()

const PAUSE_MS = 60
const LABEL: Record<Field, string> = { source: 'From', destination: 'To', service: 'Service' }
const ACTIONS: readonly Action[] = ['allow', 'drop', 'reject']
const ANSWERS = ['prohibited', 'reset', 'port-unreachable', 'host-unreachable'] as const

const draft = reactive<Draft>(props.kept?.draft ?? (props.rule ? draftOf(props.rule) : blank()))
/** Something has been typed that is not asked about yet. */
const typing = ref(false)
const refused = ref<ProblemOut[]>([])
const failure = ref('')
const busy = ref(false)
const tried = ref(false)
/** What is being changed: the rule and version that were read last. */
const base = ref(props.kept?.base ?? { draft: draftOf(ruleOf(draft)), ver: props.ver })
const meanwhile = ref<{ taken: string[]; clashes: string[] } | null>(null)
let timer = 0

const dirty = computed(
  () => props.gone || JSON.stringify(ruleOf(draft)) !== JSON.stringify(ruleOf(base.value.draft)),
)
useUnsaved(
  () => props.at,
  () => dirty.value,
  (): Left => ({
    id: props.ruleId,
    index: props.position - 1,
    works: props.whereWorks,
    draft: JSON.parse(JSON.stringify(draft)) as Draft,
    base: base.value,
  }),
)
const shownProblems = computed(() => [...refused.value, ...(props.told?.problems ?? [])])
const problems = computed(() => {
  const at = Object.fromEntries(
    [...FIELDS, 'name', 'action', 'schedule'].map((f) => [f, problemsAt(shownProblems.value, f)]),
  )
  for (const field of FIELDS)
    if (tried.value && !draft[field].length) at[field] = ['Name at least one; everything is written any.']
  if (tried.value && !draft.action) at.action = ['Choose what it does: allow, drop or reject.']
  if (tried.value && !draft.name.trim()) at.name = ['A rule needs a name.']
  else if (!tried.value && !draft.name.trim()) at.name = []
  return at as Record<Field | 'name' | 'action' | 'schedule', string[]>
})
const look = computed(() => props.told?.look ?? null)
/** What says something stands open. */
const opened = {
  more: draft.log || !draft.enabled || draft.kept || draft.states.length > 0 || draft.schedule !== null,
  why: draft.description !== '',
}

function wordOf(key: keyof Draft): string {
  if (key === 'enabled') return 'active'
  if (key === 'kept') return 'keep'
  if (key === 'description') return 'why'
  return key in LABEL ? LABEL[key as Field].toLowerCase() : key.replace('_', ' ')
}

function inWords(value: Draft[keyof Draft]): string {
  if (typeof value === 'boolean') return value ? 'on' : 'off'
  return `“${Array.isArray(value) ? value.join(', ') : (value ?? '')}”`
}

function toggle(list: string[], value: string, on: boolean): void {
  const at = list.indexOf(value)
  if (on && at < 0) list.push(value)
  if (!on && at >= 0) list.splice(at, 1)
}

function tell(): void {
  typing.value = false
  if (!complete(draft)) {
    emit('edit', null)
    return
  }
  const rule = ruleOf(draft)
  // A name is not needed to know what the rule decides.
  if (!rule.name) rule.name = 'unnamed rule'
  const { ruleId, place } = props
  emit(
    'edit',
    ruleId === null ? { act: 'insert', rule, place } : { act: 'write', rule_key: ruleId, rule, place },
  )
}

// Where it works: as long as nobody has chosen the place, a rule that another would take from rises above it.
let rising = props.whereWorks
watch(look, (now) => {
  if (rising && now?.advice && now.position > now.advice.best) emit('place', now.advice.best)
})

function put(place: number): void {
  rising = false
  emit('place', place)
}

watch(
  [draft, () => props.place],
  () => {
    refused.value = []
    failure.value = ''
    typing.value = true
    clearTimeout(timer)
    timer = window.setTimeout(tell, PAUSE_MS)
  },
  { deep: true, immediate: true },
)
// Somebody else saved this rule while it is being written here: their changes come in, mine stay.
function meet(): void {
  if (!props.rule || props.ruleId === null || busy.value || props.ver === base.value.ver) return
  const theirs = draftOf(props.rule)
  const { merged, taken, clashes } = merge(base.value.draft, draft, theirs)
  Object.assign(draft, merged)
  base.value = { draft: theirs, ver: props.ver }
  if (taken.length || clashes.length)
    meanwhile.value = {
      taken: taken.map(wordOf),
      clashes: clashes.map((key) => `${wordOf(key)} to ${inWords(theirs[key])}`),
    }
}
watch(() => props.ver, meet)
onMounted(() => {
  meet()
  document.getElementById('rule-name')?.focus()
})
onBeforeUnmount(() => {
  clearTimeout(timer)
})

async function submit(): Promise<void> {
  if (busy.value) return
  tried.value = true
  if (!draft.name.trim() || !complete(draft)) return
  busy.value = true
  try {
    await props.save(ruleOf(draft), base.value.ver)
  } catch (error) {
    if (!(error instanceof Problem)) throw error
    refused.value = error.problems
    failure.value = error.problems.length ? '' : error.detail
  } finally {
    busy.value = false
    meet()
  }
}
</script>

<template>
  <form
    class="editor form-panel"
    novalidate
    @submit.prevent="submit"
    @keydown.esc="closesList($event) || emit('close')"
  >
    <div class="fields">
      <h2>
        {{ ruleId === null ? 'A new rule' : 'Rule' }}
        <span class="soft small at"
          >at {{ position }}{{ look?.decided.decides === 'all' ? ', where it works' : '' }}</span
        >
      </h2>
      <div class="actions" role="radiogroup" aria-label="Action">
        <label v-for="action in ACTIONS" :key="action" :class="{ on: draft.action === action }">
          <input v-model="draft.action" type="radio" name="action" :value="action" />
          <LineCode :course="action" small class="glyph" />
          {{ action }}
        </label>
      </div>
      <p v-if="problems.action.length" class="problem small" role="alert">{{ problems.action[0] }}</p>
      <v-select
        v-if="draft.action === 'reject'"
        v-model="draft.reject_with"
        :items="ANSWERS"
        placeholder="prohibited"
        aria-label="Answer"
      />
      <label class="head" for="rule-name">Name</label>
      <v-text-field id="rule-name" v-model="draft.name" :error-messages="problems.name" />
      <MemberField
        v-for="field in FIELDS"
        :key="field"
        v-model="draft[field]"
        :field="field"
        :label="LABEL[field]"
        :names="names"
        :problems="problems[field]"
        :negated="draft.negate.includes(field)"
        @negate="toggle(draft.negate, field, $event)"
      />
      <details class="more" :open="opened.more">
        <summary>log, state, when</summary>
        <fieldset class="switches">
          <label><input v-model="draft.log" type="checkbox" /> log</label>
          <label><input v-model="draft.enabled" type="checkbox" /> active</label>
          <label title="Tidying leaves it alone even where nothing would change without it">
            <input v-model="draft.kept" type="checkbox" /> keep
          </label>
          <div class="states">
            <span class="soft small">only in state</span>
            <label v-for="state in STATES" :key="state" class="small">
              <input
                type="checkbox"
                :checked="draft.states.includes(state)"
                @change="toggle(draft.states, state, ($event.target as HTMLInputElement).checked)"
              />
              {{ state }}
            </label>
          </div>
        </fieldset>
        <p v-for="text in statesExplained(draft.states)" :key="text" class="soft small" data-testid="states">
          {{ text }}
        </p>
        <ScheduleChoice v-model="draft.schedule" :network="network" :problems="problems.schedule" />
      </details>
      <details class="more" :open="opened.why">
        <summary>why</summary>
        <label class="head" for="rule-why">Why</label>
        <v-textarea
          id="rule-why"
          v-model="draft.description"
          rows="2"
          auto-grow
          placeholder="what for, and on whose behalf"
        />
      </details>
    </div>
    <div class="foot">
      <div v-if="gone" class="meanwhile" role="alert">
        Somebody has deleted this rule. What you have written is still here and can be added as a new one.
      </div>
      <div v-else-if="kept && dirty" class="meanwhile">
        You wrote this before the page was loaded anew. It is not saved yet.
      </div>
      <div v-if="meanwhile" class="meanwhile" role="alert">
        This rule was changed by somebody else meanwhile.
        <span v-if="meanwhile.taken.length">Taken in: {{ meanwhile.taken.join(', ') }}.</span>
        <span v-if="meanwhile.clashes.length">
          They set {{ meanwhile.clashes.join('; ') }}. What you wrote there is kept and will replace it.
        </span>
      </div>
      <section
        v-if="look"
        class="consequence"
        :class="[look.decided.decides, { stale: stale || typing }]"
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
            @click="put(look.advice.best)"
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
      <ConsequenceList
        v-if="look && (dirty || ruleId === null)"
        :told="props.told"
        :stale="stale || typing"
        :few="6"
        @ask="emit('ask', $event)"
      />
      <p v-if="failure && !meanwhile" class="problem" role="alert">{{ failure }}</p>
      <div class="form-end">
        <v-btn type="submit" color="primary" :loading="busy">{{
          gone ? 'Add as new' : ruleId === null ? 'Add here' : 'Save'
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
.more {
  margin-top: 10px;
  font-size: 13.5px;
}
.more > summary {
  color: var(--soft);
  cursor: pointer;
}
.head {
  display: block;
  margin: 10px 0 3px;
  font-size: 13px;
}
.actions {
  display: grid;
  grid-template-columns: repeat(3, 1fr);
  margin: 10px 0 4px;
  border: 1px solid var(--hair);
}
.actions label {
  padding: 6px 8px 5px;
  text-align: center;
  font-size: 13px;
  cursor: pointer;
}
.actions label + label {
  border-left: 1px solid var(--hair);
}
.actions .on {
  background: var(--selected);
  font-weight: 650;
}
.actions input {
  position: absolute;
  opacity: 0;
}
.actions label:focus-within {
  outline: 2px solid var(--focus);
}
.states {
  flex-basis: 100%;
  display: flex;
  flex-wrap: wrap;
  gap: 4px 12px;
  align-items: baseline;
}
.switches {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 12px;
  align-items: center;
  border: 0;
  margin: 12px 0 0;
  font-size: 13px;
}
.switches label {
  display: flex;
  gap: 4px;
}
.consequence {
  flex: none;
  margin-top: 10px;
  padding: 2px 0 2px 12px;
  border-left: 4px solid var(--depth-5);
  font-size: 13.5px;
}
.consequence.none {
  border-left-color: var(--warning);
}
.consequence.part {
  border-left-color: var(--depth-3);
}
.consequence.undecided {
  border-left-style: dashed;
}
.consequence.stale {
  opacity: 0.5;
}
.consequence p {
  margin: 3px 0;
}
.expands {
  overflow-wrap: anywhere;
}
</style>
