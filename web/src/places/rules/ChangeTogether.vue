<script setup lang="ts">
/** What several rules are all to say, or a member that stands instead of another in them: told before it is made. */
import { computed, reactive, ref, watch } from 'vue'
import type { Edit, NameOut, RuleRow, Shapes } from '@/api/client'
import { useSchedules } from '@/api/schedules'
import MemberField from '@/editing/MemberField.vue'
import { useFrame } from '@/frame/frame'
import type { More, Together } from '@/places/rules/acts'
import { type Action, type Field, LABEL, STATES } from '@/places/rules/ruleDraft'
import ChoiceField from '@/ui/ChoiceField.vue'
import DateField from '@/ui/DateField.vue'
import TextField from '@/ui/TextField.vue'

const props = defineProps<{ rows: readonly RuleRow[]; names: NameOut[]; busy: boolean; field: Field }>()
const emit = defineEmits<{ edit: [edit: Edit | null]; act: [act: Together, more: More] }>()
const { id: network, revision } = useFrame()
const { data: listed } = useSchedules(network, revision)

/** Null: as it is in each. */
interface Said {
  action: Action | null
  log: boolean | null
  states: string | null
  schedule: string | null
  until: string
  owner: string
  description: string
}
const nothing = (): Said => ({
  action: null,
  log: null,
  states: null,
  schedule: null,
  until: '',
  owner: '',
  description: '',
})
const said = reactive(nothing())
const AS_IT_IS = { title: 'as it is', value: null }
const ACTIONS = [
  AS_IT_IS,
  ...(['allow', 'drop', 'reject'] as const).map((value) => ({ title: value, value })),
]
const LOGS = [
  { title: 'as it is', value: null },
  { title: 'logged', value: 'yes' },
  { title: 'not logged', value: 'no' },
]
const log = computed({
  get: () => (said.log === null ? null : said.log ? 'yes' : 'no'),
  set: (value) => (said.log = value === null ? null : value === 'yes'),
})
const ANY_STATE = 'any'
const STATE_ITEMS = [AS_IT_IS, ...[ANY_STATE, ...STATES].map((value) => ({ title: value, value }))]
const schedules = computed(() => [
  AS_IT_IS,
  { title: 'always', value: '' },
  ...(listed.value?.schedules ?? []).map((s) => ({ title: s.thing.name, value: s.thing.name })),
])

const says = computed<Shapes['Says'] | null>(() => {
  const told: Shapes['Says'] = {
    action: said.action,
    log: said.log,
    states: said.states === null ? null : said.states === ANY_STATE ? [] : [said.states as 'new'],
    schedule: said.schedule,
    until: said.until || null,
    owner: said.owner || null,
    description: said.description || null,
  }
  return Object.values(told).some((value) => value !== null) ? told : null
})

const member = ref<string | null>(null)
const by = ref<string[]>([])
/** What any of them names in the field. */
const named = computed(() => [...new Set(props.rows.flatMap((row) => row.rule[props.field]))])
watch(
  () => props.field,
  () => {
    member.value = null
    by.value = []
  },
)
const swap = computed(() => (member.value !== null && by.value.length === 1 ? by.value[0]! : null))

const edit = computed<Edit | null>(() => {
  const rules = props.rows.map((row) => row.id)
  if (swap.value !== null)
    return { act: 'replace', rules, field: props.field, member: member.value!, by: swap.value }
  return says.value ? { act: 'amend', rules, says: says.value } : null
})
watch(
  () => JSON.stringify(edit.value),
  () => emit('edit', edit.value),
)

function replace(): void {
  emit('act', 'replace member', { field: props.field, member: member.value, by: swap.value })
  member.value = null
  by.value = []
}
function amend(): void {
  emit('act', 'amend', { says: says.value })
  Object.assign(said, nothing())
}
</script>

<template>
  <form class="swap" @submit.prevent="swap !== null && replace()">
    <ChoiceField
      v-model="member"
      :label="`Replace in ${LABEL[field]}`"
      :items="named.map((value) => ({ title: value, value }))"
      search
    />
    <MemberField id="together-by" v-model="by" :field="field" label="by" :names="names" :problems="[]" />
    <button class="link" type="submit" :disabled="swap === null || busy">replace</button>
    <slot v-if="swap !== null" />
  </form>
  <details class="say">
    <summary>change in each</summary>
    <form class="saying" @submit.prevent="says && amend()">
      <ChoiceField v-model="said.action" label="Action" :items="ACTIONS" />
      <ChoiceField v-model="log" label="Log" :items="LOGS" />
      <ChoiceField v-model="said.states" label="State" :items="STATE_ITEMS" />
      <ChoiceField v-model="said.schedule" label="When" :items="schedules" />
      <DateField v-model="said.until" label="Until, their last day" />
      <TextField id="together-owner" v-model="said.owner" label="Who answers for them" />
      <div class="whole">
        <TextField id="together-why" v-model="said.description" label="Why" :rows="2" />
      </div>
      <button class="link" type="submit" :disabled="!says || busy">change</button>
      <div v-if="swap === null && says" class="whole"><slot /></div>
    </form>
  </details>
</template>

<style scoped>
.swap {
  margin-top: 14px;
}
.say {
  margin-top: 16px;
  font-size: 13.5px;
}
.say > summary {
  color: var(--soft);
  cursor: pointer;
}
.saying {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 4px 12px;
}
.whole {
  grid-column: 1 / -1;
}
.saying > button {
  justify-self: start;
}
</style>
