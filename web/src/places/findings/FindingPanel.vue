<script setup lang="ts">
/** One finding: what it says, what mends it and what that would do, and that it may stay until a date. */
import { computed, ref, watch } from 'vue'
import { type Edit, type PlacedFinding, Problem } from '@/api/client'
import { useAcceptances } from '@/api/findings'
import { isLong, useEdits, usePolicy } from '@/api/policies'
import { useConsequence } from '@/editing/consequence'
import ConsequenceList from '@/editing/ConsequenceList.vue'
import { type Repair, repairsOf } from '@/places/findings/findings'
import DateField from '@/ui/DateField.vue'
import TextField from '@/ui/TextField.vue'
import { inTurn } from '@/ui/turn'
import { useFrame } from '@/frame/frame'

const props = defineProps<{ found: PlacedFinding; place: object; writable: boolean }>()
const emit = defineEmits<{ ask: [question: string]; done: [] }>()

const { id: network, network: whole, revision } = useFrame()
const policy = computed(() => props.found.policy_id)
const long = computed(() => isLong(whole.value?.policies.find((p) => p.id === policy.value)))
const { data: told, partial } = usePolicy(network, policy, revision, long)
const edits = useEdits(network, policy)
const { accept, takeBack } = useAcceptances(network)

const row = computed(() => told.value?.rows.find((r) => r.id === props.found.rule_id) ?? null)
const repairs = computed(() =>
  row.value && told.value && !partial.value && props.writable
    ? repairsOf(props.found, row.value, told.value.rows)
    : [],
)
const at = ref(0)
const repair = computed<Repair | null>(() => repairs.value[at.value] ?? repairs.value[0] ?? null)
const {
  told: effect,
  stale,
  failure,
  about,
} = useConsequence('finding', (asking, edit: Edit, signal) => edits.consequence(asking, edit, signal))
watch(
  () => JSON.stringify([repair.value?.edit ?? null, revision.value]),
  () => void about(repair.value?.edit ?? null),
  { immediate: true },
)

const refused = ref('')
async function trying(act: () => Promise<unknown>): Promise<void> {
  refused.value = ''
  try {
    await inTurn(act)
    emit('done')
  } catch (e) {
    if (!(e instanceof Problem)) throw e
    refused.value = e.problems.length ? e.problems.map((p) => p.message).join('; ') : e.detail
    edits.refresh()
  }
}
function take(chosen: Repair): Promise<void> {
  const { id, ver } = row.value!
  const { edit } = chosen
  return trying(() => {
    if (chosen.proven) return edits.tidy.mutateAsync({ rules: [id], into: [], merge: false })
    if (edit.act === 'move') return edits.move.mutateAsync({ id, ver, place: edit.place })
    if (edit.act === 'write') return edits.change.mutateAsync({ id, ver, rule: edit.rule })
    throw new Error(edit.act)
  })
}

const reason = ref('')
const inHalfAYear = () => {
  const day = new Date()
  day.setMonth(day.getMonth() + 6)
  return day.toISOString().slice(0, 10)
}
const until = ref(inHalfAYear())
watch(
  () => props.found.key,
  () => {
    at.value = 0
    reason.value = ''
    refused.value = ''
  },
)
</script>

<template>
  <div class="panel">
    <p class="kind" :class="found.weight">{{ found.weight }}: {{ found.kind }}</p>
    <h2>
      <template v-if="found.rule">{{ found.position }} {{ found.rule }}</template>
      <template v-else>{{ found.policy ?? found.name }}</template>
    </h2>
    <p v-if="found.rule" class="soft small">in {{ found.policy }}</p>
    <p class="says">{{ found.text }}</p>
    <p><router-link class="link" :to="place">go there</router-link> <kbd>↵</kbd></p>
    <section v-if="repair" aria-label="What mends it">
      <h3>What mends it</h3>
      <div v-if="repairs.length > 1" role="radiogroup" aria-label="Repairs">
        <label v-for="(one, index) in repairs" :key="one.says" class="repair">
          <input v-model="at" type="radio" :value="index" name="repair" /> {{ one.says }}
        </label>
      </div>
      <p v-else>{{ repair.says }}.</p>
      <ConsequenceList :told="effect" :stale="stale" :failure="failure" :few="4" @ask="emit('ask', $event)" />
      <div class="acts">
        <v-btn color="primary" :disabled="stale || !effect" @click="take(repair)">{{ repair.says }}</v-btn>
      </div>
    </section>
    <section v-if="found.accepted" aria-label="Accepted">
      <h3>Accepted until {{ found.accepted.until }}</h3>
      <p>{{ found.accepted.reason }}</p>
      <p class="soft small">
        It is told again after that day, and as soon as it says something else or its rule does.
      </p>
      <v-btn
        v-if="writable && found.key"
        variant="outlined"
        @click="trying(() => takeBack.mutateAsync({ key: found.key }))"
        >Accept it no more</v-btn
      >
    </section>
    <form
      v-else-if="writable && found.key"
      aria-label="Accept it"
      @submit.prevent="trying(() => accept.mutateAsync({ key: found.key, reason, until }))"
    >
      <h3>It may stay</h3>
      <TextField v-model="reason" label="Why it may stay" />
      <DateField v-model="until" label="Until" />
      <v-btn type="submit" variant="outlined" :disabled="!reason.trim() || !until">Accept until then</v-btn>
      <p class="soft small">
        It does not count until then, here and on the command line. It comes back after that day, and as soon
        as it says something else.
      </p>
    </form>
    <p v-if="refused" class="problem" role="alert">{{ refused }}</p>
  </div>
</template>

<style scoped>
.panel {
  padding: 16px;
}
.kind {
  font-size: 13px;
  color: var(--soft);
}
.kind.error {
  color: var(--error);
}
.kind.warning {
  color: var(--warning);
}
h3 {
  font-size: 13px;
  margin: 18px 0 4px;
}
.says {
  margin: 10px 0;
}
.repair {
  display: block;
  padding: 2px 0;
}
.acts {
  margin-top: 10px;
}
form {
  display: grid;
  gap: 8px;
  justify-items: start;
}
form > :nth-child(2) {
  width: 100%;
}
</style>
