<script setup lang="ts">
/** One field of a thing's form, by its type; a list of records has fields of its own. */
import { computed, ref } from 'vue'
import type { ProblemOut } from '@/api/client'
import type { Field, Source } from '@/editing/things'
import CheckBox from '@/ui/CheckBox.vue'
import ChoiceField from '@/ui/ChoiceField.vue'
import TextField from '@/ui/TextField.vue'
import { listNamed } from '@/ui/listNamed'
import { piecesOf } from '@/editing/pieces'

const props = defineProps<{
  field: Field
  path: readonly (string | number)[]
  problems: readonly ProblemOut[]
  names: (source: Source) => string[]
}>()
const value = defineModel<unknown>({ required: true })

const id = computed(() => `thing-${props.path.join('-')}`)
const at = computed(() => props.problems.filter((p) => starts(p.path, props.path)))
const told = computed(() => at.value.map((p) => p.message))
const exact = computed(() =>
  at.value.filter((p) => p.path.length === props.path.length).map((p) => p.message),
)

function starts(path: readonly (string | number)[], head: readonly (string | number)[]): boolean {
  return head.every((step, i) => String(path[i]) === String(step))
}

const text = computed(() => (value.value ?? '') as string)
const untold = computed(() => (props.field.type === 'choice' ? props.field.untold : undefined))
const options = computed(() => {
  const told = props.field.type === 'choice' ? props.field.options : []
  return untold.value === undefined ? told : [{ title: untold.value, value: '' }, ...told]
})
const subs = computed(() => (props.field.type === 'records' ? props.field.fields : []))

type Row = Record<string, unknown>
const rows = computed(() => value.value as Row[])

function change(index: number, key: string, to: unknown): void {
  value.value = rows.value.map((row, i) => (i === index ? { ...row, [key]: to } : row))
}
function shift(index: number, by: number): void {
  const next = [...rows.value]
  const [row] = next.splice(index, 1)
  next.splice(index + by, 0, row!)
  value.value = next
}
function drop(index: number): void {
  value.value = rows.value.filter((_, i) => i !== index)
}
function add(): void {
  if (props.field.type === 'records') value.value = [...rows.value, structuredClone(props.field.blank)]
}
function items(source: Source | undefined): string[] {
  return source ? props.names(source) : []
}
const typed = ref('')
/** Values without names have no blanks in them: there a blank parts two. */
const blanks = computed(
  () => props.field.type === 'list' && 'mono' in props.field && props.field.mono === true,
)
function written(words: readonly unknown[]): void {
  const before = (value.value ?? []) as string[]
  value.value = [
    ...new Set(
      words.flatMap((w) => (before.includes(String(w)) ? [String(w)] : piecesOf(String(w), blanks.value))),
    ),
  ]
}
/** Pasted lines are taken as they are; the field itself would part them by its own rules. */
function paste(event: ClipboardEvent): void {
  const text = event.clipboardData?.getData('text') ?? ''
  if (piecesOf(text, blanks.value).length < 2) return
  event.preventDefault()
  event.stopPropagation()
  const all = `${typed.value}${text}`
  typed.value = ''
  written([...((value.value ?? []) as string[]), all])
}
function number(text: string): void {
  const empty = props.field.type === 'number' && props.field.empty
  value.value = text.trim() === '' ? (empty ? null : 0) : Number(text)
}
</script>

<template>
  <div class="form-field" :class="{ mono: 'mono' in field && field.mono }">
    <CheckBox
      v-if="field.type === 'switch'"
      class="switch"
      :model-value="value === true"
      @update:model-value="value = $event"
      >{{ field.label }}</CheckBox
    >
    <template v-else>
      <label class="head" :for="id">{{ field.label }}</label>
      <TextField
        v-if="field.type === 'text'"
        :id="id"
        quiet
        :label="field.label"
        :model-value="text"
        :placeholder="field.hint"
        :problems="told"
        @update:model-value="value = $event || (value === null || field.empty ? null : '')"
      />
      <TextField
        v-else-if="field.type === 'lines'"
        :id="id"
        quiet
        :label="field.label"
        :model-value="text"
        :rows="2"
        :problems="told"
        @update:model-value="value = $event"
      />
      <TextField
        v-else-if="field.type === 'number'"
        :id="id"
        quiet
        :label="field.label"
        :model-value="value as number"
        type="number"
        :placeholder="field.hint"
        :problems="told"
        @update:model-value="number(String($event ?? ''))"
      />
      <ChoiceField
        v-else-if="field.type === 'choice'"
        :id="id"
        quiet
        :label="field.label"
        :model-value="text"
        :items="options"
        :problems="told"
        @update:model-value="value = $event || (untold === undefined ? $event : null)"
      />
      <ChoiceField
        v-else-if="field.type === 'name'"
        :id="id"
        quiet
        search
        :label="field.label"
        :model-value="value as string"
        :items="items(field.from)"
        :clearable="field.optional"
        :problems="told"
        @update:model-value="value = $event"
      />
      <v-combobox
        v-else-if="field.type === 'list'"
        :id="id"
        v-model:search="typed"
        :model-value="value as string[]"
        :items="items(field.from)"
        :placeholder="(value as string[]).length ? '' : field.hint"
        :error-messages="told"
        multiple
        hide-selected
        v-bind="listNamed(field.label)"
        @update:model-value="written"
        @paste.capture="paste"
      >
        <template #selection="{ item, index }">
          <span class="member"
            >{{ typeof item === 'string' ? item : (item as { title: string }).title
            }}<button
              class="plain take"
              type="button"
              :aria-label="`remove ${(value as string[])[index]}`"
              @click.stop="written((value as string[]).filter((_, i) => i !== index))"
              @mousedown.stop
            >
              ×
            </button></span
          >
        </template>
      </v-combobox>
      <div v-else class="records">
        <fieldset v-for="(row, index) in rows" :key="index" class="record">
          <legend class="soft small">
            {{ index + 1 }}
            <button type="button" class="link small" :disabled="!index" @click="shift(index, -1)">up</button>
            <button
              type="button"
              class="link small"
              :disabled="index === rows.length - 1"
              @click="shift(index, 1)"
            >
              down
            </button>
            <button type="button" class="link small" @click="drop(index)">remove</button>
          </legend>
          <FormField
            v-for="sub in subs"
            :key="sub.key"
            :field="sub"
            :path="[...path, index, sub.key]"
            :problems="problems"
            :names="names"
            :model-value="row[sub.key]"
            class="sub"
            @update:model-value="change(index, sub.key, $event)"
          />
        </fieldset>
        <p v-for="message in exact" :key="message" class="problem">{{ message }}</p>
        <button :id="id" type="button" class="link small" @click="add">add</button>
      </div>
    </template>
  </div>
</template>

<style scoped>
.head {
  display: block;
  margin: 9px 0 2px;
  font-size: 13px;
}
.switch {
  margin: 10px 0 0;
}
.mono :deep(input),
.mono .member {
  font-family: var(--mono);
  font-size: 12.5px;
}
.member {
  border-bottom: 1px solid var(--depth-3);
  margin: 2px 7px 2px 0;
  white-space: nowrap;
}
.take {
  margin-left: 4px;
  padding: 0 3px;
  color: var(--soft);
}
.record {
  border: 0;
  border-left: 3px solid var(--depth-2);
  padding: 0 0 4px 10px;
  margin: 6px 0;
}
.record legend {
  display: flex;
  gap: 10px;
  margin-left: -2px;
}
.record button:disabled {
  opacity: 0.4;
  cursor: default;
}
.sub {
  display: grid;
  grid-template-columns: 84px minmax(0, 1fr);
  align-items: center;
  margin-top: 3px;
}
.sub .head {
  margin: 0;
  color: var(--soft);
}
</style>
