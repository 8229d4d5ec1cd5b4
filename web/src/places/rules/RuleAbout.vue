<script setup lang="ts">
/** All that is known of one rule: what it decides here, who takes the rest, samples, findings. */
import { computed, ref } from 'vue'
import type { Consequence, RuleRow } from '@/api/client'
import type { Field } from '@/places/rules/ruleDraft'
import CheckBox from '@/ui/CheckBox.vue'
import ChoiceField from '@/ui/ChoiceField.vue'
import ConsequenceList from '@/editing/ConsequenceList.vue'
import HistoryList from '@/editing/HistoryList.vue'
import RemarkList from '@/editing/RemarkList.vue'
import ScheduleGlance from '@/places/schedules/ScheduleGlance.vue'
import { decidesSentence, figure, listed, mustSentence, works } from '@/words'

const props = defineProps<{
  row: RuleRow
  writable: boolean
  network: number
  /** What would become of the packets if it were switched off, or on. */
  without: Consequence | null
  stale: boolean
  /** The other policies it could be carried to. */
  others: readonly { id: number; name: string }[]
}>()
const emit = defineEmits<{
  edit: []
  remove: []
  toggle: []
  ask: [question: string]
  go: [id: number]
  move: [place: number]
  carry: [policy: number, swap: boolean]
  /** Deleted, proven again by the server in the same step. */
  out: []
  takeOff: [field: Field, members: readonly string[]]
  /** The same for somebody else, for a while. */
  lend: []
}>()
const target = ref<number | null>(null)
const swap = ref(true)
const told = computed(() => props.row.findings.filter((f) => f.kind !== props.row.kind))
const rule = computed(() => props.row.rule)
/** What it does, as something that must hold in the network: where it says something of new packets, and of what it names. */
const mustStay = computed(() => {
  const { source, destination, service, action, negate, states, schedule } = rule.value
  if (negate?.length || (states?.length && !states.includes('new'))) return ''
  return mustSentence(source, action === 'allow', destination, service, schedule ?? '')
})
/** Nothing would change without it. */
const spare = computed(
  () =>
    rule.value.enabled &&
    (props.row.decides === 'none' || props.row.kind === 'redundant') &&
    !rule.value.kept,
)
</script>

<template>
  <section class="about">
    <h2>{{ row.position }} {{ rule.name }}</h2>
    <p class="soft">{{ rule.description || 'No description says what it is for.' }}</p>
    <ScheduleGlance v-if="rule.schedule" :network="network" :name="rule.schedule" />
    <p v-if="rule.until || rule.owner" class="small">
      <template v-if="rule.until">For a while, until {{ rule.until }}.</template>
      <template v-if="rule.owner"> {{ rule.owner }} answers for it.</template>
    </p>
    <div class="fact" :class="row.decides">
      <strong v-if="rule.enabled">{{ decidesSentence(row, row.position) }}</strong>
      <strong v-else>It is switched off and decides nothing.</strong>
      <p v-if="row.kind === 'shadowed' && row.works">
        {{ works(row.works) }}
        <button v-if="writable" class="link" @click="emit('move', row.works.best)">
          Move it to {{ row.works.best }}
        </button>
      </p>
      <p v-if="spare && writable">
        <button class="link" @click="emit('out')">Delete it</button>: same effect, proven.
      </p>
      <p v-if="rule.kept" class="soft">Marked to stay: tidying leaves it alone.</p>
      <p v-if="row.exception_of.length" class="soft">An exception of {{ listed(row.exception_of) }}.</p>
      <p v-if="row.witness" class="small soft">
        decides, for example
        <button class="link raw" @click="emit('ask', row.witness.question)">{{ row.witness.text }}</button>
      </p>
      <p v-if="row.taken" class="small soft">
        taken from it, for example
        <button class="link raw" @click="emit('ask', row.taken.question)">{{ row.taken.text }}</button>
      </p>
    </div>
    <template v-if="row.by.length">
      <h3>
        {{
          row.cause === 'later'
            ? 'Without it would decide'
            : row.decides === 'none'
              ? 'Takes all of it'
              : 'Takes a part of it'
        }}
      </h3>
      <ul>
        <li v-for="other in row.by" :key="other.name">
          <button v-if="other.id" class="link" @click="emit('go', other.id)">
            {{ other.position }} {{ other.name }}
          </button>
          <template v-else>otherwise</template>
        </li>
        <li v-if="row.by_count > row.by.length" class="soft">
          and {{ figure(row.by_count - row.by.length) }} more
        </li>
      </ul>
    </template>
    <template v-if="without">
      <h3>{{ rule.enabled ? 'Without it' : 'Switched on' }}</h3>
      <ConsequenceList :told="without" :stale="stale" :few="4" class="without" @ask="emit('ask', $event)" />
    </template>
    <template v-if="told.length">
      <h3>Findings</h3>
      <ul>
        <li v-for="finding in told" :key="finding.kind + finding.text">
          <span :class="finding.weight === 'note' ? 'soft' : 'warning'">{{ finding.kind }}.</span>
          {{ finding.text }}
          <span v-if="finding.accepted" class="soft"
            >Accepted until {{ finding.accepted.until }}: {{ finding.accepted.reason }}</span
          >
          <button
            v-if="writable && finding.field && finding.members.length"
            class="link"
            @click="emit('takeOff', finding.field, finding.members)"
          >
            Remove {{ listed(finding.members) }}
          </button>
        </li>
      </ul>
    </template>
    <div v-if="writable" class="acts">
      <v-btn color="primary" @click="emit('edit')">Edit <kbd>↵</kbd></v-btn>
      <v-btn variant="outlined" @click="emit('toggle')">{{
        rule.enabled ? 'Switch off' : 'Switch on'
      }}</v-btn>
      <v-btn variant="outlined" @click="emit('remove')">Delete</v-btn>
      <v-btn
        variant="outlined"
        title="a rule of its own beside this one, with a last day"
        @click="emit('lend')"
        >For a while…</v-btn
      >
    </div>
    <p v-if="writable && mustStay" class="small stay">
      <router-link class="link" :to="{ name: 'holds', params: { network }, query: { write: mustStay } }"
        >what it {{ rule.action === 'allow' ? 'allows' : 'blocks' }} must stay so</router-link
      >
    </p>
    <details v-if="writable && others.length" class="carry">
      <summary>Carry to another policy</summary>
      <form class="carrying" @submit.prevent="target !== null && emit('carry', target, swap)">
        <ChoiceField
          v-model="target"
          label="Policy to carry it to"
          :items="others.map((p) => ({ title: p.name, value: p.id }))"
          search
          quiet
          placeholder="policy"
        />
        <CheckBox v-model="swap">with its ends swapped</CheckBox>
        <v-btn type="submit" variant="outlined" :disabled="target === null">Carry there</v-btn>
      </form>
    </details>
    <h3>What is said about it</h3>
    <RemarkList :key="`said ${row.id}`" :network="network" :rule="row.id" :writable="writable" />
    <HistoryList :id="row.id" :key="row.id" :network="network" kind="rule" :ver="row.ver" />
  </section>
</template>

<style scoped>
.about {
  padding: 18px 16px;
}
h3 {
  font-size: 13px;
  margin: 14px 0 3px;
}
.fact {
  margin-top: 12px;
  padding: 2px 0 2px 12px;
  border-left: 4px solid var(--depth-5);
}
.fact.none {
  border-left-color: var(--warning);
}
.fact.part {
  border-left-color: var(--depth-3);
}
.fact p {
  margin: 3px 0;
}
ul {
  list-style: none;
  padding: 0;
  font-size: 13.5px;
}
li {
  padding: 2px 0;
}
.without {
  margin-top: 2px;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  margin-top: 18px;
}
.stay a {
  display: inline-block;
  padding: 5px 0;
}
.carry {
  margin-top: 16px;
  font-size: 13.5px;
}
.carry summary {
  cursor: pointer;
  font-weight: 650;
}
.carrying {
  display: flex;
  flex-direction: column;
  gap: 8px;
  align-items: flex-start;
  margin-top: 8px;
}
.carrying > :first-child {
  width: 100%;
}
kbd {
  margin-left: 6px;
}
</style>
