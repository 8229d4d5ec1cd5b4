<script setup lang="ts">
/** What is said about the draft and its rules, or about one rule, and a place to say more. */
import { toRef } from 'vue'
import { useReleaseActs, useRemarks } from '@/api/releases'
import { moment } from '@/ui/dates'
import { useAct } from '@/editing/act'
import { useNoteAt } from '@/editing/unsaved'

const props = defineProps<{ network: number; rule: number | null; writable: boolean }>()
const network = toRef(props, 'network')
const acts = useReleaseActs(network)
const { data: remarks } = useRemarks(network, toRef(props, 'rule'))
const { busy, problem, act } = useAct()
const said = useNoteAt(`remark ${props.network} ${props.rule}`)
function say() {
  return act(async () => {
    await acts.remark.mutateAsync({ text: said.value, rule_id: props.rule })
    said.value = ''
  })
}
</script>

<template>
  <div class="remarks">
    <ol aria-label="Remarks">
      <li v-for="r in remarks" :key="r.id" :class="{ soft: r.settled }">
        <strong>{{ r.person }}</strong>
        <span class="soft small when">
          {{ moment(r.at)
          }}<template v-if="rule === null"
            >, on
            <router-link
              v-if="r.policy_id && r.rule_id"
              class="link"
              :to="{ name: 'rules', params: { network, policy: r.policy_id }, query: { rule: r.rule_id } }"
              >{{ r.about }}</router-link><template v-else>{{ r.about }}</template></template
          >
        </span>
        <p>{{ r.text }}</p>
        <button
          v-if="writable"
          class="link small"
          @click="act(() => acts.settle.mutateAsync({ id: r.id, settled: !r.settled }))"
        >
          {{ r.settled ? 'open again' : 'settled' }}
        </button>
      </li>
    </ol>
    <form v-if="writable" class="stacked" @submit.prevent="say">
      <textarea
        v-model="said"
        class="plain-field"
        rows="2"
        aria-label="Say something"
        placeholder="say something"
      />
      <v-btn type="submit" variant="outlined" :disabled="!said.trim()" :loading="busy">Say it</v-btn>
    </form>
    <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
  </div>
</template>

<style scoped>
ol {
  list-style: none;
  padding: 0;
}
li {
  padding: 4px 0;
}
.when {
  margin-left: 6px;
}
p {
  margin: 0;
}
</style>
