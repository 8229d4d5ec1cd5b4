<script setup lang="ts">
/** One place of a course as a row: where it is, what decides there, the packet as it is seen there. */
import { computed } from 'vue'
import { useRoute } from 'vue-router'
import { decisionOf, type Place } from '@/places/question/course'

const props = defineProps<{ place: Place; number?: number; from: string; to: string; service: string }>()
const route = useRoute()
const decision = computed(() => decisionOf(props.place))
const step = computed(() => props.place.step)
</script>

<template>
  <tr :class="{ stops: step && step.action !== 'allow' }">
    <td class="number">{{ number ?? '' }}</td>
    <td>{{ place.device }}</td>
    <td class="soft">{{ place.at }}</td>
    <td class="decides">
      {{ decision.act }}
      <router-link
        v-if="step?.policy_id"
        class="link"
        :to="{
          name: 'rules',
          params: { network: route.params.network, policy: step.policy_id },
          query: { q: route.query.q, rule: step.rule_id ?? 'otherwise' },
        }"
        >{{ decision.decider }}</router-link><template v-else>{{ decision.decider }}</template>
      <span v-if="decision.policy" class="soft"> in {{ decision.policy }}</span>
    </td>
    <td>{{ from }}</td>
    <td>{{ to }}</td>
    <td class="raw">{{ service }}</td>
  </tr>
</template>

<style scoped>
td {
  padding: 5px 10px 5px 0;
  border-top: 1px solid var(--hair);
  vertical-align: top;
  overflow-wrap: break-word;
}
.raw {
  white-space: nowrap;
}
.number {
  width: 26px;
  padding-left: 6px;
  font-weight: 700;
  color: var(--allow);
}
.stops {
  background: var(--selected);
}
.stops .decides,
.stops .number {
  font-weight: 650;
  color: var(--drop);
}
</style>
