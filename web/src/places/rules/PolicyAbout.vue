<script setup lang="ts">
/** What there is to say of a policy while no rule of it is chosen: where it stands, what its rules come to. */
import { computed } from 'vue'
import type { PolicyOut } from '@/api/client'
import TideGauge from '@/chart/TideGauge.vue'
import PolicyPlaces from '@/places/rules/PolicyPlaces.vue'
import { figure, otherwise } from '@/words'

const props = defineProps<{ policy: PolicyOut; writable: boolean }>()
const emit = defineEmits<{ go: [rule: number] }>()
const SAYS = {
  all: ['decides all that it matches', 'decide all that they match'],
  part: ['decides a part of it', 'decide a part of it'],
  none: ['decides nothing', 'decide nothing'],
} as const

const counts = computed(() => {
  const on = props.policy.rows.filter((row) => row.rule.enabled)
  return (['all', 'part', 'none'] as const)
    .map((decides) => ({ decides, rows: on.filter((row) => row.decides === decides) }))
    .filter(({ rows }) => rows.length)
})
const off = computed(() => props.policy.rows.filter((row) => !row.rule.enabled).length)
</script>

<template>
  <section class="about">
    <h2>This policy</h2>
    <p v-if="policy.description" class="soft">{{ policy.description }}</p>
    <PolicyPlaces :policy="policy" :writable="writable" />
    <h3>its rules</h3>
    <p v-if="policy.pending" class="soft">what they decide is being worked out</p>
    <template v-else>
      <p v-for="{ decides, rows } in counts" :key="decides" class="count">
        <TideGauge :decides="decides" />
        <span>
          {{ figure(rows.length) }} {{ SAYS[decides][rows.length === 1 ? 0 : 1] }}
          <button v-if="decides === 'none'" class="link" @click="emit('go', rows[0]!.id)">the first</button>
        </span>
      </p>
      <p v-if="off" class="soft">{{ figure(off) }} switched off</p>
      <p class="soft">otherwise {{ otherwise(policy) }}</p>
    </template>
    <h3>keys</h3>
    <dl>
      <dt><kbd>↑</kbd> <kbd>↓</kbd></dt>
      <dd>choose a rule: what it decides, and what without it</dd>
      <template v-if="writable">
        <dt><kbd>n</kbd></dt>
        <dd>write one where it works</dd>
      </template>
      <dt><kbd>f</kbd></dt>
      <dd>find</dd>
      <dt><kbd>?</kbd></dt>
      <dd>all keys</dd>
    </dl>
  </section>
</template>

<style scoped>
.about {
  padding: 14px 16px;
  font-size: 13.5px;
}
h3 {
  margin: 16px 0 4px;
  font-size: 12.5px;
  font-weight: 400;
  color: var(--soft);
}
.count {
  display: flex;
  gap: 10px;
  margin: 4px 0;
}
dl {
  display: grid;
  grid-template-columns: max-content 1fr;
  gap: 5px 12px;
}
dd {
  margin: 0;
}
</style>
