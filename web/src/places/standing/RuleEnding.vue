<script setup lang="ts">
/** A rule that is there for a while, and ends soon or has ended: what becomes otherwise then, told before. */
import { toRef, watch } from 'vue'
import type { Shapes } from '@/api/client'
import { useEdits } from '@/api/policies'
import { useAct } from '@/editing/act'
import ConsequenceList from '@/editing/ConsequenceList.vue'
import { useConsequence } from '@/editing/consequence'
import { inTurn } from '@/ui/turn'

const props = defineProps<{
  network: number
  revision: number
  ending: Shapes['EndingOut']
  writable: boolean
}>()
const edits = useEdits(
  toRef(props, 'network'),
  toRef(() => props.ending.policy_id),
)
const { told, stale, failure, about } = useConsequence(
  `ending ${props.ending.rule_id}`,
  (asking, rule: number, signal) => edits.ending(asking, rule, signal),
)
watch(
  () => [props.revision, props.ending.ended],
  () => void about(props.ending.ended ? null : props.ending.rule_id),
  { immediate: true },
)
const { busy, problem: refused, act } = useAct()
function remove(): Promise<unknown> {
  const { rule_id, ver } = props.ending
  return act(() => inTurn(() => edits.remove.mutateAsync({ id: rule_id, ver })))
}
</script>

<template>
  <li>
    <router-link
      class="link"
      :to="{ name: 'rules', params: { network, policy: ending.policy_id }, query: { rule: ending.rule_id } }"
      >{{ ending.rule }}</router-link
    >
    <span class="soft"> in {{ ending.policy }}{{ ending.owner ? `, ${ending.owner}` : '' }}</span>
    <template v-if="ending.ended">
      ended on {{ ending.until }} and decides nothing any more
      <button v-if="writable" type="button" class="link" :disabled="busy" @click="remove">take it out</button>
      <span v-if="refused" class="problem" role="alert">{{ refused }}</span>
    </template>
    <template v-else>
      ends on {{ ending.until }}; then:
      <ConsequenceList :told="told" :stale="stale" :failure="failure" :few="2" />
    </template>
  </li>
</template>
