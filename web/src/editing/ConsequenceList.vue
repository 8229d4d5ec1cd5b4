<script setup lang="ts">
/** What an edit would open and close, in names, before it is saved. */
import { figure, listed } from '@/words'
import { computed } from 'vue'
import {
  comeAndGo,
  type Consequence,
  deciders,
  grouped,
  inNetwork,
  networkSentence,
  networkWords,
  sentence,
  verdict,
} from '@/editing/changes'

const props = defineProps<{
  told: Consequence | null
  stale: boolean
  failure?: string
  /** Whether each policy is named: where an edit can touch several. */
  named?: boolean
  few?: number
}>()
const emit = defineEmits<{ ask: [question: string] }>()
const policies = computed(() =>
  (props.told?.policies ?? [])
    .filter((p) => !p.equal)
    .map((p) => {
      const groups = grouped(p).filter((g) => !props.named || g.changes.length)
      const most = props.few ?? 12
      return {
        ...p,
        groups: groups.map((g) => ({ ...g, changes: g.changes.slice(0, most) })),
        rest: p.more + groups.reduce((n, g) => n + Math.max(0, g.changes.length - most), 0),
      }
    }),
)
const findings = computed(() => (props.told ? comeAndGo(props.told) : []))
/** Both ranges are told beside each other: what a list does otherwise, and what comes of it in the network. */
const both = computed(
  () =>
    policies.value.length > 0 ||
    props.told?.network?.equal === false ||
    props.told?.network?.complete === false,
)
const network = computed(() => {
  const told = props.told
  if (!told || !told.ground || told.problems.length || !both.value) return null
  return {
    groups: told.network ? inNetwork(told.network) : [],
    words: networkWords(told.network),
    more: told.network?.more ?? 0,
  }
})
const summary = computed(() => (props.told && !props.told.problems.length ? verdict(props.told) : ''))
</script>

<template>
  <section
    class="effects"
    :class="{ stale }"
    aria-live="polite"
    data-testid="consequence"
    :data-stale="stale"
  >
    <p v-if="failure" class="small soft">{{ failure }}</p>
    <div v-if="told?.expectations" data-testid="holding">
      <p v-for="one in told.expectations.breaks" :key="one.name" class="holding breaks">
        <strong>Breaks</strong> “{{ one.name }}” <span class="small soft">{{ one.reason }}</span>
        <button v-if="one.flow" type="button" class="link raw sample" @click="emit('ask', one.flow.question)">
          {{ one.flow.text }}
        </button>
      </p>
      <p v-for="one in told.expectations.mends" :key="one.name" class="holding mends">
        <strong>Mends</strong> “{{ one.name }}”
        <span v-if="one.verdict !== 'kept'" class="small soft">{{ one.reason }}</span>
      </p>
      <p v-if="told.expectations.unknown.length" class="small soft">
        Not known yet whether {{ listed(told.expectations.unknown.map((name) => `“${name}”`)) }} still
        {{ told.expectations.unknown.length === 1 ? 'holds' : 'hold' }}.
      </p>
    </div>
    <p v-for="line in findings" :key="line.text" class="finding small" :class="{ warning: line.comes }">
      {{ line.text }}
    </p>
    <div v-for="policy in policies" :key="policy.name">
      <h3 v-if="named || told?.ground">{{ named ? policy.name : 'In this policy' }}</h3>
      <div v-for="group in policy.groups" :key="group.kind" class="group" :class="group.tone">
        <p v-for="(change, i) in group.changes" :key="i" class="change">
          <strong v-if="!i">{{ group.word }}&nbsp;</strong>
          <span>{{ sentence(change) }}</span>
          <span class="who soft small">{{ deciders(change) }}</span>
          <button type="button" class="link raw sample" @click="emit('ask', change.witness.question)">
            {{ change.witness.text }}
          </button>
        </p>
        <p v-if="!group.changes.length" class="change">
          <strong>{{ group.word }}</strong> nothing
        </p>
      </div>
      <p v-if="policy.rest" class="small soft">and {{ figure(policy.rest) }} more</p>
    </div>
    <div v-if="network" data-testid="in-network">
      <h3>In the network</h3>
      <div v-for="group in network.groups" :key="group.kind" class="group" :class="group.tone">
        <p v-for="(change, i) in group.changes" :key="i" class="change">
          <strong v-if="!i">{{ group.word }}&nbsp;</strong>
          <span>{{ networkSentence(change) }}</span>
          <button type="button" class="link raw sample" @click="emit('ask', change.witness.question)">
            {{ change.witness.text }}
          </button>
        </p>
      </div>
      <p v-if="network.more" class="small soft">and {{ figure(network.more) }} more</p>
      <p v-for="line in network.words" :key="line" class="small">{{ line }}</p>
    </div>
    <p v-if="summary" class="summary" :class="{ small: policies.length > 0 }">{{ summary }}</p>
  </section>
</template>

<style scoped>
.effects {
  margin-top: 12px;
  font-size: 13.5px;
}
.effects.stale {
  opacity: 0.5;
}
h3 {
  font-size: 13px;
  margin: 8px 0 2px;
}
.holding {
  margin: 0 0 6px;
  overflow-wrap: anywhere;
}
.breaks strong {
  color: var(--reject);
}
.mends strong {
  color: var(--allow);
}
.group {
  margin: 8px 0;
  padding: 2px 0 2px 12px;
  border-left: 4px solid var(--hue);
  overflow-wrap: anywhere;
}
.allow {
  --hue: var(--allow);
}
.drop {
  --hue: var(--drop);
}
.reject {
  --hue: var(--reject);
}
.undecided {
  --hue: var(--undecided);
  border-left-style: dashed;
}
.change {
  margin: 0 0 6px;
}
.change:last-child {
  margin-bottom: 0;
}
.change strong {
  color: var(--hue);
}
.who {
  display: block;
}
.sample {
  display: block;
  font-size: 12px;
  text-align: left;
  color: var(--soft);
}
.summary {
  margin: 6px 0 0;
  font-weight: 650;
}
.summary.small {
  font-weight: 400;
  color: var(--soft);
}
</style>
