<script setup lang="ts">
/** The fields of a rule that is being written. */
import type { NameOut } from '@/api/client'
import LineCode from '@/chart/LineCode.vue'
import MemberField from '@/editing/MemberField.vue'
import { type Action, type Draft, FIELDS, LABEL, type Problems, STATES } from '@/places/rules/ruleDraft'
import ScheduleChoice from '@/places/schedules/ScheduleChoice.vue'
import { statesExplained } from '@/places/schedules/week'
import CheckBox from '@/ui/CheckBox.vue'
import ChoiceField from '@/ui/ChoiceField.vue'
import DateField from '@/ui/DateField.vue'
import ChoiceLine from '@/ui/ChoiceLine.vue'
import TextField from '@/ui/TextField.vue'

const draft = defineModel<Draft>({ required: true })
defineProps<{ network: number; names: NameOut[]; problems: Problems }>()

const ACTIONS = (['allow', 'drop', 'reject'] as const).map((action) => ({ title: action, value: action }))
const ANSWERS = ['prohibited', 'reset', 'port-unreachable', 'host-unreachable'] as const
/** What says something stands open. */
const { log, enabled, kept, states, schedule, until, owner, description } = draft.value
const opened = {
  more: log || !enabled || kept || states.length > 0 || schedule !== null || until !== '' || owner !== '',
  why: description !== '',
}

function toggle(list: string[], value: string, on: boolean): void {
  const at = list.indexOf(value)
  if (on && at < 0) list.push(value)
  if (!on && at >= 0) list.splice(at, 1)
}
</script>

<template>
  <ChoiceLine
    v-model="draft.action"
    label="Action"
    :items="ACTIONS"
    :problem="problems.action[0]"
    class="actions"
  >
    <template #default="{ item }"
      ><LineCode :course="item.value as Action" small class="glyph" />{{ item.title }}</template
    >
  </ChoiceLine>
  <ChoiceField
    v-if="draft.action === 'reject'"
    v-model="draft.reject_with"
    label="Answer"
    :items="ANSWERS"
    placeholder="prohibited"
  />
  <TextField id="rule-name" v-model="draft.name" label="Name" :problems="problems.name" />
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
    <fieldset class="switches" aria-label="Switches">
      <CheckBox v-model="draft.log">log</CheckBox>
      <CheckBox v-model="draft.enabled">active</CheckBox>
      <CheckBox
        v-model="draft.kept"
        title="Tidying leaves it alone even where nothing would change without it"
        >stays when tidied</CheckBox
      >
      <div class="states">
        <span class="soft small">only in state</span>
        <CheckBox
          v-for="state in STATES"
          :key="state"
          :model-value="draft.states.includes(state)"
          @update:model-value="toggle(draft.states, state, $event)"
          >{{ state }}</CheckBox
        >
      </div>
    </fieldset>
    <p v-for="text in statesExplained(draft.states)" :key="text" class="soft small" data-testid="states">
      {{ text }}
    </p>
    <ScheduleChoice v-model="draft.schedule" :network="network" :problems="problems.schedule" />
    <div class="while">
      <DateField v-model="draft.until" label="Until, its last day" />
      <TextField id="rule-owner" v-model="draft.owner" label="Who answers for it" />
    </div>
    <p v-for="text in problems.until" :key="text" class="problem small">{{ text }}</p>
  </details>
  <details class="more" :open="opened.why">
    <summary>why</summary>
    <TextField
      id="rule-why"
      v-model="draft.description"
      label="Why"
      :rows="2"
      placeholder="what for, and on whose behalf"
    />
  </details>
</template>

<style scoped>
.actions {
  margin-top: 10px;
}
.actions :deep(.line) {
  display: grid;
  grid-template-columns: repeat(3, minmax(0, 1fr));
}
.glyph {
  flex: none;
  width: 32px;
  min-width: 0;
}
.actions :deep(label) {
  display: flex;
  gap: 6px;
  padding-inline: 4px;
  justify-content: center;
  align-items: center;
}
.more {
  margin-top: 10px;
  font-size: 13.5px;
}
.more > summary {
  color: var(--soft);
  cursor: pointer;
}
.switches {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 14px;
  border: 0;
  padding: 0;
  margin: 10px 0 0;
}
.while {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 0 12px;
}
.states {
  flex-basis: 100%;
  display: flex;
  flex-wrap: wrap;
  gap: 4px 12px;
  align-items: baseline;
}
</style>
