<script setup lang="ts">
/** Members of a rule's field: names completed while typing; raw values are accepted and recognised. */
import { type ComponentPublicInstance, computed, ref, watch } from 'vue'
import type { KnownService, NameOut } from '@/api/client'
import { useNetworkEdits } from '@/api/networkEdits'
import { listNamed } from '@/ui/listNamed'
import { piecesOf } from '@/editing/pieces'
import MakeName from '@/editing/MakeName.vue'
import {
  couldBeName,
  type Field,
  isRaw,
  offersFor,
  ownAmong,
  recognise,
  suggest,
} from '@/places/rules/ruleDraft'
import CheckBox from '@/ui/CheckBox.vue'
import { useFrame } from '@/frame/frame'

const props = withDefaults(
  defineProps<{
    field: Field
    label: string
    names: NameOut[]
    problems: string[]
    negated?: boolean | null
    /** Where two of one field are in sight. */
    id?: string
  }>(),
  { negated: null, id: undefined },
)
const at = computed(() => props.id ?? `field-${props.field}`)
const members = defineModel<string[]>({ required: true })
const emit = defineEmits<{ negate: [on: boolean] }>()
const typed = ref('')
const menu = ref(false)
const failure = ref('')
const offers = ref<KnownService[]>([])
/** The network's own services that are known by what is typed. */
const own = ref<NameOut[]>([])
const { id: network } = useFrame()
const edits = useNetworkEdits(network)
/** The list opens over what lies beside the panel, not over the next field; where nothing does, below. */
const BESIDE = { maxHeight: 260, location: 'start top', origin: 'end top', offset: 10, width: 300 } as const
const beside = innerWidth >= 860 ? BESIDE : { maxHeight: 260 }
const OFFER = 'well-known '
const MAKE = 'make '
let asking: AbortController | undefined

// Well-known services are offered beside the network's own; taking one makes it a name here.
watch(typed, async (word) => {
  asking?.abort()
  offers.value = []
  own.value = []
  if (props.field !== 'service' || word.trim().length < 2) return
  asking = new AbortController()
  try {
    const known = await edits.known(word, asking.signal)
    own.value = ownAmong(known, props.names)
    offers.value = offersFor(known, props.names)
  } catch {
    // A later key stroke asked again, or there is nothing to offer: the field works without.
  }
})

const items = computed(() => {
  const found = [...new Set([...suggest(props.names, props.field, typed.value), ...own.value])]
  const any = 'any'.startsWith(typed.value.trim().toLowerCase())
    ? [{ title: 'any', value: 'any', detail: 'everything' }]
    : []
  return [
    ...found.map((n) => ({ title: n.name, value: n.name, detail: n.values.join(', ') })),
    ...any,
    ...offers.value.map((k) => ({
      title: `${k.name}, well-known`,
      value: OFFER + k.name,
      detail: k.members.join(', '),
    })),
    ...(couldBeName(typed.value, props.field, props.names)
      ? [{ title: `make “${typed.value.trim()}” …`, value: MAKE + typed.value.trim(), detail: 'a new name' }]
      : []),
  ]
})

/** The name that is being made here, and whether it stands among the members already, marked. */
const making = ref('')
const combo = ref<ComponentPublicInstance>()
function back(): void {
  making.value = ''
  menu.value = false
  ;(combo.value?.$el as HTMLElement | undefined)?.querySelector('input')?.focus()
}
function made(name: string): void {
  delete wrong.value[name]
  members.value = [...new Set([...members.value, name])]
  back()
}

async function takeOffer(offer: KnownService): Promise<string> {
  await edits.addName.mutateAsync({
    kind: 'service',
    thing: { name: offer.name, members: offer.members, traits: [], notes: [], description: offer.words },
  })
  return offer.name
}

/** What is wrong with a member, told at once; a member that is not understood stays where it was put. */
const wrong = ref<Record<string, string>>({})
const strange = computed(() => members.value.filter((m) => wrong.value[m]))
/** Those of them that a name could be made of. */
const makeable = computed(() =>
  strange.value.filter((m) => couldBeName(m, props.field, props.names)).slice(0, 4),
)
const told = computed(() => [
  ...(failure.value ? [failure.value] : []),
  ...strange.value.map((m) => wrong.value[m]!),
  ...props.problems.filter((p) => !strange.value.some((m) => wrong.value[m] === p)),
])

/** The members that a text stands for, each of them; if the server cannot be asked, as they are written. */
async function read(text: string): Promise<string[]> {
  try {
    const found = await edits.readMembers(props.field === 'service' ? 'service' : 'address', text)
    for (const m of found) if (m.problem) wrong.value[m.member] = m.problem
    return found.map((m) => m.member)
  } catch {
    return piecesOf(text).map((piece) => recognise(piece, props.names, props.field))
  }
}

let adding: Promise<void> = Promise.resolve()
/** Add to the members what was typed, pasted or chosen, one after the other. */
function add(texts: readonly string[]): Promise<void> {
  const now = texts.map((text) => offers.value.find((k) => OFFER + k.name === text) ?? text)
  return (adding = adding.then(() => addNow(now)))
}
async function addNow(texts: readonly (string | KnownService)[]): Promise<void> {
  failure.value = ''
  typed.value = ''
  for (const text of texts) {
    try {
      const found =
        typeof text !== 'string' ? [await takeOffer(text)] : named(text) ? [text] : await read(text)
      members.value = [...new Set([...members.value, ...found])]
    } catch (error) {
      failure.value = error instanceof Error ? error.message : String(error)
    }
  }
}
const named = (text: string) => text === 'any' || props.names.some((n) => n.name === text)

function chosen(next: readonly unknown[]): void {
  const now = next.map(String)
  const more = now.filter((m) => !members.value.includes(m))
  members.value = members.value.filter((m) => now.includes(m))
  const make = more.find((m) => m.startsWith(MAKE))
  if (make) {
    typed.value = ''
    menu.value = false
    making.value = make.slice(MAKE.length)
  }
  void add(more.filter((m) => m !== make))
}

/** Pasted lines are taken as they are, with what was typed before; the field itself would part them by its own rules. */
function paste(event: ClipboardEvent): void {
  const text = event.clipboardData?.getData('text') ?? ''
  if (piecesOf(text).length < 2 && !/[\s,;]/.test(text.trim())) return
  event.preventDefault()
  event.stopPropagation()
  void add([`${typed.value}${text}`]).then(() => (menu.value = false))
}

function leave(): void {
  if (typed.value.trim()) void add([typed.value])
}
</script>

<template>
  <div class="member-field" @paste.capture="paste">
    <div class="top">
      <label :for="at">{{ label }}</label>
      <CheckBox
        v-if="negated !== null"
        class="soft"
        :model-value="negated"
        @update:model-value="emit('negate', $event)"
        >all but these</CheckBox
      >
    </div>
    <v-combobox
      :id="at"
      ref="combo"
      v-model:search="typed"
      :menu="menu && !making"
      :model-value="members"
      :items="items"
      :return-object="false"
      :error-messages="told"
      :max-errors="told.length"
      :menu-props="beside"
      multiple
      no-filter
      v-bind="listNamed(label)"
      hide-no-data
      :auto-select-first="!isRaw(typed, field)"
      @update:menu="menu = $event"
      @update:model-value="chosen"
      @blur="leave"
    >
      <template #selection="{ item, index }">
        <span class="member" :class="{ strange: wrong[members[index]!] }"
          >{{ typeof item === 'string' ? item : item.title
          }}<button
            class="plain take"
            type="button"
            :aria-label="`remove ${typeof item === 'string' ? item : item.title}`"
            @click.stop="members = members.filter((_, i) => i !== index)"
            @mousedown.stop
          >
            ×
          </button></span
        >
      </template>
      <template #item="{ props: item, item: found }">
        <v-list-item v-bind="item" :title="undefined" density="compact">
          <div class="item">
            <span>{{ (found as { title: string }).title }}</span>
            <span class="raw soft detail">{{
              (found as { raw?: { detail?: string }; detail?: string }).detail ??
              (found as { raw?: { detail?: string } }).raw?.detail
            }}</span>
          </div>
        </v-list-item>
      </template>
    </v-combobox>
    <MakeName
      v-if="making"
      :key="making"
      :name="making"
      :kind="field === 'service' ? 'service' : 'addresses'"
      @made="made"
      @close="back"
    />
    <p v-else-if="makeable.length" class="small">
      <button v-for="m in makeable" :key="m" type="button" class="link" @click="making = m">
        make “{{ m }}” …
      </button>
    </p>
  </div>
</template>

<style scoped>
.top {
  display: flex;
  justify-content: space-between;
  align-items: baseline;
  margin: 10px 0 3px;
  font-size: 13px;
}
.member {
  border-bottom: 1px solid var(--depth-3);
  margin: 2px 7px 2px 0;
  white-space: nowrap;
}
.member.strange {
  color: var(--warning);
  border-bottom: 2px dashed var(--warning);
}
.take {
  margin-left: 4px;
  padding: 0 3px;
  color: var(--soft);
}
.item {
  display: flex;
  justify-content: space-between;
  gap: 12px;
}
.detail {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  max-width: 180px;
}
</style>
