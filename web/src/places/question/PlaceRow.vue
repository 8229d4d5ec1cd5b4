<script setup lang="ts">
/** One place of a course as a row: where it is, what decides there, the packet as it is seen there. */
import { computed } from 'vue'
import { useRoute } from 'vue-router'
import { decisionOf, type Place } from '@/places/question/course'

const props = defineProps<{ place: Place; number?: number }>()
const route = useRoute()
const decision = computed(() => decisionOf(props.place))
/** From, to and by what, as this place sees it; where it is translated, what each became. */
const ends = computed(() => {
  const { seen, became } = props.place
  return (['source', 'destination', 'service'] as const).map((of) => ({
    of,
    is: seen?.[of] ?? '',
    became: became && became[of] !== seen?.[of] ? became[of] : '',
  }))
})
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
    <td v-for="end in ends" :key="end.of" :class="{ raw: end.of === 'service' }">
      <template v-if="end.became"
        ><s class="was">{{ end.is }}</s
        ><span class="unseen"> becomes </span> <strong class="became">{{ end.became }}</strong></template
      ><template v-else>{{ end.is }}</template>
    </td>
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
.was {
  color: var(--soft);
}
.became {
  display: block;
  font-weight: 650;
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
