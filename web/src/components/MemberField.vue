<script setup lang="ts">
/** Members of a rule's field: names completed while typing; raw values are accepted and recognised. */
import { computed, ref, watch } from 'vue'
import type { KnownService, NameOut } from '@/api/client'
import { useNetworkEdits } from '@/api/queries'
import { type Field, isRaw, offersFor, recognise, suggest } from '@/logic/ruleDraft'
import { useFrame } from '@/state/frame'

const props = withDefaults(
  defineProps<{
    field: Field
    label: string
    names: NameOut[]
    problems: string[]
    negated?: boolean | null
  }>(),
  { negated: null },
)
const members = defineModel<string[]>({ required: true })
const emit = defineEmits<{ negate: [on: boolean] }>()
const typed = ref('')
const failure = ref('')
const offers = ref<KnownService[]>([])
const { id: network } = useFrame()
const edits = useNetworkEdits(network)
const OFFER = 'well-known '
let asking: AbortController | undefined

// Well-known services are offered beside the network's own; taking one makes it a name here.
watch(typed, async (word) => {
  asking?.abort()
  offers.value = []
  if (props.field !== 'service' || word.trim().length < 2) return
  asking = new AbortController()
  try {
    offers.value = offersFor(await edits.known(word, asking.signal), props.names)
  } catch {
    // A later key stroke asked again, or there is nothing to offer: the field works without.
  }
})

const items = computed(() => {
  const found = suggest(props.names, props.field, typed.value)
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
  ]
})

async function taken(value: string): Promise<string> {
  const offer = offers.value.find((k) => OFFER + k.name === value)
  if (!offer) return recognise(value, props.names, props.field)
  await edits.addName.mutateAsync({
    kind: 'service',
    thing: { name: offer.name, members: offer.members, traits: [], notes: [], description: offer.words },
  })
  return offer.name
}

async function chosen(next: readonly unknown[]): Promise<void> {
  failure.value = ''
  try {
    const values = await Promise.all(next.map((v) => taken(String(v))))
    members.value = [...new Set(values.filter((v) => v !== ''))]
  } catch (error) {
    failure.value = error instanceof Error ? error.message : String(error)
  }
  typed.value = ''
}

function leave(): void {
  if (typed.value.trim()) void chosen([...members.value, typed.value])
}
</script>

<template>
  <div class="member-field">
    <div class="top">
      <label :for="`field-${field}`">{{ label }}</label>
      <label v-if="negated !== null" class="soft small but">
        <input
          type="checkbox"
          :checked="negated"
          @change="emit('negate', ($event.target as HTMLInputElement).checked)"
        />
        all but these
      </label>
    </div>
    <v-combobox
      :id="`field-${field}`"
      v-model:search="typed"
      :model-value="members"
      :items="items"
      :return-object="false"
      :error-messages="failure ? [failure, ...problems] : problems"
      :menu-props="{ maxHeight: 260 }"
      multiple
      no-filter
      hide-no-data
      :auto-select-first="!isRaw(typed, field)"
      @update:model-value="chosen"
      @blur="leave"
    >
      <template #selection="{ item, index }">
        <span class="member"
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
.but {
  display: flex;
  gap: 4px;
  align-items: center;
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
