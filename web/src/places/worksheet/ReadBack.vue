<script setup lang="ts">
/** What a device tells of a list, pasted, against what should be there. */
import { computed, ref } from 'vue'
import { type Column, type ReadBack as Told, readBack } from '@/api/worksheets'
import { useAct } from '@/editing/act'
import { columnsOf, keepColumns } from '@/places/worksheet/typed'
import ChoiceField from '@/ui/ChoiceField.vue'
import CheckBox from '@/ui/CheckBox.vue'
import TextField from '@/ui/TextField.vue'
import { counted } from '@/words'

const props = defineProps<{ network: number; policy: number; name: string }>()
const COLUMNS: { title: string; value: Column }[] = [
  { title: 'not compared', value: '' },
  ...(
    [
      'number',
      'name',
      'action',
      'protocol',
      'source',
      'source mask',
      'source port',
      'destination',
      'destination mask',
      'destination port',
      'service',
    ] as const
  ).map((value) => ({ title: value, value })),
]
const open = ref(false)
const text = ref('')
const told = ref<Told | null>(null)
const all = ref(false)
const { problem, act } = useAct()

async function compare(columns: readonly Column[] | null = null): Promise<void> {
  await act(async () => {
    let found = await readBack(props.network, props.policy, text.value, columns)
    const kept = columns ? null : columnsOf(props.network, props.policy, found.columns.length)
    if (kept && kept.some((column, at) => column !== found.columns[at]))
      found = await readBack(props.network, props.policy, text.value, kept)
    told.value = found
  })
}
async function correct(at: number, column: Column | null): Promise<void> {
  const columns = told.value!.columns.map((one, n) => (n === at ? (column ?? '') : one))
  keepColumns(props.network, props.policy, columns)
  await compare(columns)
}
const odd = computed(() => told.value?.reads.filter((one) => one.kind !== 'right') ?? [])
const shown = computed(() => (all.value ? (told.value?.reads ?? []) : odd.value))
const verdict = computed(() => {
  const found = told.value
  if (!found) return ''
  if (!found.reads.length) return 'There is no line in it.'
  const of = found.not_compared ? `, of IPv${found.family}` : ''
  if (found.same) return `As it should be${of}: ${counted(found.reads.length, 'line')}, entry by entry.`
  const parts = [
    odd.value.length ? `${counted(odd.value.length, 'line')} otherwise than it should be` : '',
    found.missing.length ? `${counted(found.missing.length, 'line')} missing` : '',
  ]
  return `${parts.filter(Boolean).join(', ')}.`
})
function said(one: Told['reads'][number]): string {
  if (one.kind === 'unread') return one.problem
  if (one.kind === 'wrong')
    return `${one.rule}: ${one.fields.map((f) => `${f} should be ${one.should?.[f as 'source']}`).join(', ')}`
  if (one.kind === 'elsewhere') return `stands at the wrong place: it is of ${one.rule}`
  if (one.kind === 'strange') return 'should not be there'
  return one.rule ?? ''
}
</script>

<template>
  <div class="unprinted back">
    <button v-if="!open" class="link small" @click="open = true">read {{ name }} back</button>
    <form v-else :aria-label="`read ${name} back`" @submit.prevent="compare()">
      <TextField
        v-model="text"
        label="what the device tells of this list, as a table in any form"
        :rows="5"
        max-rows="14"
        mono
        spellcheck="false"
      />
      <div class="acts">
        <v-btn type="submit" color="primary" :disabled="!text.trim()">Compare</v-btn>
        <v-btn variant="outlined" @click="open = false">Close</v-btn>
      </div>
      <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
      <template v-if="told">
        <p class="verdict" role="status" :class="{ same: told.same && !told.not_compared }">{{ verdict }}</p>
        <p v-if="told.reads.length && !told.default_told && told.default !== 'continue'" class="soft small">
          No line says what happens to everything else; it should be: {{ told.default }}. Look at it on the
          device.
        </p>
        <p v-if="told.not_compared" class="warning small">
          It has no address of IPv{{ 10 - (told.family ?? 0) }}; not compared:
          {{ counted(told.not_compared, 'line') }} that the rules have of it. Paste that list, too.
        </p>
        <p v-for="note in told.notes" :key="note" class="soft small">{{ note }}</p>
        <fieldset v-if="told.columns.length">
          <legend class="soft small">its columns, kept for this list once you correct them</legend>
          <ChoiceField
            v-for="(column, at) in told.columns"
            :key="at"
            quiet
            :label="`column ${at + 1}`"
            :items="COLUMNS"
            :model-value="column"
            @update:model-value="correct(at, $event)"
          />
        </fieldset>
        <CheckBox v-if="told.reads.length > odd.length" v-model="all">lines that are right, too</CheckBox>
        <table v-if="shown.length || told.missing.length" class="reads">
          <thead>
            <tr>
              <th>line</th>
              <th>as the device tells it</th>
              <th>what is the matter</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="one in shown" :key="one.number" :class="one.kind">
              <td class="soft">{{ one.number }}</td>
              <td class="raw">{{ one.text.trim() }}</td>
              <td>{{ said(one) }}</td>
            </tr>
            <tr v-for="(one, at) in told.missing" :key="`missing ${at}`" class="wrong">
              <td class="soft">—</td>
              <td class="raw">
                {{ one.line.action }} {{ one.line.source }} → {{ one.line.destination }} :
                {{ one.line.service }}
              </td>
              <td>missing: {{ one.rule }}</td>
            </tr>
          </tbody>
        </table>
      </template>
    </form>
  </div>
</template>

<style scoped>
.back {
  padding: 8px 0;
}
form {
  display: grid;
  gap: 8px;
  max-width: 1100px;
}
.acts {
  display: flex;
  gap: 12px;
}
.verdict {
  padding-left: 12px;
  border-left: 4px solid var(--error);
  font-weight: 650;
}
.verdict.same {
  border-color: var(--depth-5);
}
fieldset {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  padding: 0;
  border: 0;
}
fieldset > * {
  flex: 0 1 150px;
}
legend {
  padding: 0 0 4px;
}
.reads {
  border-collapse: collapse;
}
.reads th {
  text-align: left;
  font-size: 12px;
  font-weight: 400;
  color: var(--soft);
}
.reads th,
.reads td {
  padding: 4px 16px 4px 0;
  border-bottom: 1px solid var(--hair);
  vertical-align: top;
}
.reads .raw {
  white-space: pre-wrap;
}
.reads .right td {
  color: var(--soft);
}
</style>
