<script setup lang="ts">
/** One thing of the ground as a form. What somebody else saves meanwhile comes in; what is written here stays. */
import { computed, nextTick, onBeforeUnmount, onMounted, type Ref, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { GroundOut } from '@/api/client'
import {
  applies,
  blankOf,
  FORMS,
  type Item,
  setAt,
  type Source,
  sourceNames,
  valueAt,
  WORD,
} from '@/editing/things'
import { consequenceOfDeletion, consequenceOfNew, consequenceOfThing } from '@/api/ground'
import { inLines } from '@/editing/changes'
import { useConsequence } from '@/editing/consequence'
import { useEditing } from '@/editing/editing'
import EditingNotes from '@/editing/EditingNotes.vue'
import { closesList } from '@/editing/escape'
import ConsequenceList from '@/editing/ConsequenceList.vue'
import NewcomerPreview from '@/places/ground/NewcomerPreview.vue'
import FormField from '@/editing/FormField.vue'
import HistoryList from '@/editing/HistoryList.vue'
import { sure } from '@/ui/asking'

const props = defineProps<{
  network: number
  ground: GroundOut
  item: Item
  names: readonly { name: string; kind: string }[]
  writable: boolean
  /** Somebody has deleted it. */
  gone: boolean
  save: (thing: object, ver: number) => Promise<unknown>
  remove: (ver: number) => Promise<unknown>
}>()
const emit = defineEmits<{ close: [] }>()

const isNew = computed(() => props.item.id === 0)
const copy = () =>
  JSON.parse(JSON.stringify({ ...blankOf(props.item.kind), ...props.item.thing })) as Record<string, unknown>
const { draft, base, resumed, problems, failure, meanwhile, busy, dirty, act, kept } = useEditing({
  read: copy,
  ver: () => props.item.ver,
  place: () => `thing ${props.network} ${props.item.kind} ${props.item.id} ${props.item.parent}`,
})

const fields = computed(() => FORMS[props.item.kind].filter((f) => applies(props.item.kind, f.key, draft)))
const elsewhere = computed(() =>
  problems.value.filter((p) => !fields.value.some((f) => String(p.path[0]) === f.key.split('.')[0])),
)
const device = computed(() => props.item.parent || props.item.id)
const names = (source: Source) => sourceNames(source, props.ground, props.names, device.value)

// What the change would do where it is felt, before it is saved.
const TOLD = [
  'segments',
  'hosts',
  'devices',
  'interfaces',
  'destination-translations',
  'source-translations',
  'steering',
  'policies',
  'at-hosts',
] as const
type Told = (typeof TOLD)[number]
/** Of these also what one more does, and what one less. */
const NEW = TOLD.filter((kind) => kind !== 'policies' && kind !== 'at-hosts')
type New = Exclude<Told, 'policies' | 'at-hosts'>
const comesAndGoes = computed(() => NEW.some((kind) => kind === props.item.kind))
const PAUSE_MS = 120
const typing = ref(false)
const { told, stale, about } = useConsequence('thing', (asked, made: object, signal) =>
  isNew.value
    ? consequenceOfNew(
        props.network,
        props.item.kind as New,
        { ...asked, thing: made, parent_id: props.item.parent || null },
        signal,
      )
    : consequenceOfThing(
        props.network,
        props.item.kind as Told,
        props.item.id,
        { ...asked, thing: made },
        signal,
      ),
)
const { told: going, about: goingAbout } = useConsequence('gone', (asked, _: object, signal) =>
  consequenceOfDeletion(props.network, props.item.id, asked, signal),
)
let timer = 0
watch(
  draft,
  () => {
    if ((isNew.value && !comesAndGoes.value) || !TOLD.includes(props.item.kind as Told)) return
    clearTimeout(timer)
    typing.value = dirty.value
    timer = window.setTimeout(() => {
      typing.value = false
      void about(dirty.value ? thing() : null)
    }, PAUSE_MS)
  },
  { deep: true },
)
onBeforeUnmount(() => clearTimeout(timer))
const felt = computed(() => told.value && !told.value.problems.length)
const route = useRoute()
const router = useRouter()
function ask(q: string): void {
  void router.replace({ query: { ...route.query, q } })
}

const newcomer = computed(() => thing())

/** Fields that mean nothing for this kind of thing are not kept from an earlier choice. */
function thing(): Record<string, unknown> {
  const out = JSON.parse(JSON.stringify(draft)) as Record<string, unknown>
  const blank = blankOf(props.item.kind)
  for (const field of FORMS[props.item.kind])
    if (!field.key.includes('.') && !applies(props.item.kind, field.key, draft))
      out[field.key] = blank[field.key] ?? null
  if (typeof out.name === 'string') out.name = out.name.trim()
  return out
}

/** What goes with it, in lines, as soon as it is told. */
function goneWith(): Ref<string[]> {
  const lines = ref(['Being worked out: what goes with it.'])
  void goingAbout({})
  watch(going, (told) => told && (lines.value = inLines(told)))
  return lines
}

async function askRemove(): Promise<void> {
  const text = comesAndGoes.value ? goneWith() : undefined
  const question = { title: `Delete ${props.item.name}?`, text, yes: 'Delete', no: 'Cancel' }
  if (await sure(question)) await act(() => props.remove(base.value.ver))
}

async function submit(): Promise<void> {
  await act(async () => {
    const wanted = thing()
    await props.save(wanted, base.value.ver)
    kept()
  })
}

onMounted(async () => {
  if (!isNew.value) return
  await nextTick()
  document.getElementById('thing-name')?.focus()
})
</script>

<template>
  <section class="thing form-panel" @keydown.esc.stop="closesList($event) || emit('close')">
    <button class="link small" type="button" @click="emit('close')">outline</button>
    <h2>{{ isNew ? `New ${WORD[item.kind]}` : item.name }}</h2>
    <EditingNotes :gone="gone" :resumed="resumed" :meanwhile="meanwhile" />
    <p v-if="!isNew" class="soft small">{{ WORD[item.kind] }}</p>
    <slot />
    <form id="thing-form" novalidate @submit.prevent="submit">
      <fieldset class="form-fields" :disabled="!writable">
        <FormField
          v-for="field in fields"
          :key="field.key"
          :field="field"
          :path="field.key.split('.')"
          :problems="problems"
          :names="names"
          :class="{ half: field.half }"
          :model-value="valueAt(draft, field.key)"
          @update:model-value="setAt(draft, field.key, $event)"
        />
      </fieldset>
      <NewcomerPreview
        v-if="isNew && item.kind === 'segments'"
        :network="network"
        :ground="ground"
        :segment="newcomer"
        @ask="ask"
      />
      <ConsequenceList
        v-if="felt"
        :told="told"
        :stale="stale || typing"
        named
        :few="4"
        class="told"
        @ask="ask"
      />
      <p v-for="p in elsewhere" :key="p.place + p.message" class="problem" role="alert">
        {{ p.message }}<template v-if="p.path.length > 1"> ({{ p.place }})</template>
      </p>
      <p v-if="failure" class="problem" role="alert">{{ failure }}</p>
    </form>
    <div v-if="writable" class="form-end">
      <v-btn
        type="submit"
        form="thing-form"
        color="primary"
        :loading="busy"
        :disabled="!dirty && !isNew && !gone"
        >{{ gone ? 'Add as new' : isNew ? 'Add' : 'Save' }}</v-btn
      >
      <v-btn variant="outlined" @click="emit('close')">{{ dirty ? 'Discard' : 'Close' }}</v-btn>
      <v-btn v-if="!isNew && item.kind !== 'at-hosts'" variant="outlined" @click="askRemove">Delete</v-btn>
    </div>
    <HistoryList v-if="!isNew" :id="item.id" :key="item.id" :network="network" kind="name" :ver="item.ver" />
  </section>
</template>

<style scoped>
.told {
  margin-top: 14px;
}
</style>
