<script setup lang="ts">
/** The rules of one policy that could go without any change, taken out at once; the server proves it once more. */
import { computed, ref, toRef } from 'vue'
import { useEdits, useTidy } from '@/api/policies'
import { useAct } from '@/editing/act'
import { inTurn } from '@/ui/turn'
import { counted, listed } from '@/words'

const props = defineProps<{
  network: number
  revision: number
  policy: number
  name: string
  writable: boolean
}>()
const FEW = 3
const network = toRef(props, 'network')
const policy = toRef(props, 'policy')
const edits = useEdits(network, policy)
const { data } = useTidy(network, policy, toRef(props, 'revision'), ref(false), ref([]))
const rules = computed(() =>
  (data.value?.steps ?? []).flatMap(({ rule }) => (rule.id === null ? [] : [{ ...rule, id: rule.id }])),
)
const { busy, problem: refused, act } = useAct()

function take(): Promise<unknown> {
  const ids = rules.value.map((rule) => rule.id)
  return act(() => inTurn(() => edits.tidy.mutateAsync({ rules: ids, into: [], merge: false })))
}
</script>

<template>
  <li v-if="rules.length" class="repair">
    <span>
      {{ counted(rules.length, 'rule') }} of {{ name }} could go without any change:
      <template v-for="(rule, n) in rules.slice(0, FEW)" :key="rule.id">
        <template v-if="n">, </template
        ><router-link
          class="link"
          :to="{ name: 'rules', params: { network, policy }, query: { rule: rule.id } }"
          >{{ rule.position }} {{ rule.name }}</router-link
        > </template
      ><template v-if="rules.length > FEW"> and {{ rules.length - FEW }} more</template>
      <span v-if="refused" class="problem" role="alert">{{ refused }}</span>
    </span>
    <button
      v-if="writable"
      type="button"
      class="link"
      :disabled="busy"
      :title="`take out ${listed(rules.map((rule) => rule.name))}: same effect, proven`"
      @click="take"
    >
      take {{ rules.length === 1 ? 'it' : 'them' }} out
    </button>
  </li>
</template>

<style scoped>
.repair {
  display: flex;
  justify-content: space-between;
  gap: 12px;
}
.repair > button {
  white-space: nowrap;
  align-self: start;
}
</style>
