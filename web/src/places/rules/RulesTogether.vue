<script setup lang="ts">
/** Several rules chosen: one act on all of them, one step to take back. */
import { type ComponentPublicInstance, computed, nextTick, ref, watch } from 'vue'
import type { Consequence, Edit, NameOut, RuleRow } from '@/api/client'
import type { More, Together } from '@/places/rules/acts'
import ChangeTogether from '@/places/rules/ChangeTogether.vue'
import type { Field } from '@/places/rules/ruleDraft'
import { counted, listed } from '@/words'
import ConsequenceList from '@/editing/ConsequenceList.vue'
import MemberField from '@/editing/MemberField.vue'

const props = defineProps<{
  rows: RuleRow[]
  count: number
  names: NameOut[]
  busy: boolean
  /** What would become of the packets without them. */
  without: Consequence | null
  stale: boolean
  /** Whether that is what a change of them all would do instead. */
  changing: boolean
  act: (act: Together, more?: More) => Promise<void>
}>()
const emit = defineEmits<{
  move: [place: number]
  clear: []
  /** What is about to be changed in each, to be told before; null: nothing. */
  edit: [edit: Edit | null]
}>()
const FIELDS: readonly { value: Field; text: string }[] = [
  { value: 'source', text: 'From' },
  { value: 'destination', text: 'To' },
  { value: 'service', text: 'Service' },
]
const field = ref<Field>('source')
const members = ref<string[]>([])
const place = ref(1)
const sure = ref(false)

const off = computed(() => props.rows.filter((row) => !row.rule.enabled).length)
/** What all of them name in the field, so that it can be taken out of all. */
const shared = computed(() =>
  (props.rows[0]?.rule[field.value] ?? []).filter((m) =>
    props.rows.every((row) => row.rule[field.value].includes(m)),
  ),
)

const confirm = ref<ComponentPublicInstance>()
/** Ask once more; the question has the keyboard, so that Enter answers it. */
async function askDelete(): Promise<void> {
  sure.value = true
  await nextTick()
  ;(confirm.value?.$el as HTMLElement | undefined)?.focus()
}
defineExpose({ askDelete })
watch(
  () => props.rows.length,
  () => (sure.value = false),
)

async function add(): Promise<void> {
  const adding = members.value
  members.value = []
  for (const member of adding) await props.act('add member', { field: field.value, member })
}
</script>

<template>
  <section class="together">
    <h2>{{ counted(rows.length, 'rule') }}</h2>
    <p class="soft small">
      {{
        listed(
          rows.map((row) => `${row.position} ${row.rule.name}`),
          6,
        )
      }}
    </p>
    <div class="acts">
      <v-btn variant="outlined" :disabled="busy || off === rows.length" @click="act('disable')"
        >Switch off</v-btn
      >
      <v-btn variant="outlined" :disabled="busy || !off" @click="act('enable')">Switch on</v-btn>
      <v-btn v-if="!sure" variant="outlined" :disabled="busy" @click="askDelete">Delete</v-btn>
      <v-btn v-else ref="confirm" color="primary" :disabled="busy" @click="act('delete')"
        >Delete {{ counted(rows.length, 'rule') }}</v-btn
      >
    </div>
    <template v-if="without && !changing">
      <h3>Without them</h3>
      <ConsequenceList :told="without" :stale="stale" :few="4" />
    </template>
    <form class="row" @submit.prevent="emit('move', place)">
      <label for="together-place">Move together before</label>
      <input id="together-place" v-model.number="place" type="number" min="1" :max="count + 1" />
      <button class="link" type="submit" :disabled="busy">move</button>
    </form>
    <div class="choices" role="radiogroup" aria-label="Field">
      <button
        v-for="f in FIELDS"
        :key="f.value"
        class="plain"
        role="radio"
        :aria-checked="field === f.value"
        :class="{ on: field === f.value }"
        @click="field = f.value"
      >
        {{ f.text }}
      </button>
    </div>
    <MemberField v-model="members" :field="field" label="Add to each" :names="names" :problems="[]" />
    <button class="link" :disabled="!members.length || busy" @click="add">add</button>
    <p v-if="shared.length" class="small">
      Remove from each:
      <button
        v-for="member in shared"
        :key="member"
        class="link member"
        :disabled="busy"
        @click="act('remove member', { field, member })"
      >
        {{ member }}
      </button>
    </p>
    <ChangeTogether
      :rows="rows"
      :names="names"
      :busy="busy"
      :field="field"
      @edit="emit('edit', $event)"
      @act="(what, more) => props.act(what, more)"
    >
      <ConsequenceList :told="without" :stale="stale" :few="4" />
    </ChangeTogether>
    <p class="soft small end">
      <button class="link small" @click="emit('clear')">choose none</button> <kbd>Esc</kbd>
    </p>
  </section>
</template>

<style scoped>
.together {
  padding: 18px 16px;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  margin: 14px 0;
}
.row {
  display: flex;
  gap: 8px;
  align-items: baseline;
  font-size: 13px;
}
.row input {
  width: 70px;
  padding: 3px 6px;
  font: inherit;
  color: inherit;
  background: var(--paper);
  border: 1px solid var(--hair);
}
.choices {
  margin: 18px 0 0;
  padding: 0;
}
.member {
  margin-right: 10px;
}
.end {
  margin-top: 20px;
}
</style>
