<script setup lang="ts">
/** Any two versions compared, and the way back to one of them. */
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { Shapes } from '@/api/client'
import { useComparison } from '@/api/editions'
import { useNetworkEdits } from '@/api/networkEdits'
import { useAct } from '@/editing/act'
import { useFrame } from '@/frame/frame'
import { sure } from '@/ui/asking'
import ChoiceField from '@/ui/ChoiceField.vue'
import DateField from '@/ui/DateField.vue'
import { local, read } from '@/ui/dates'
import { counted } from '@/words'
import ComparedEffect from '@/places/editions/ComparedEffect.vue'

const props = defineProps<{
  editions: readonly Shapes['EditionOut'][]
  inForce: number | null
  writable: boolean
}>()
const { id: network, revision } = useFrame()
const route = useRoute()
const router = useRouter()
const edits = useNetworkEdits(network)
const { busy, problem, act } = useAct()

/** What is compared stands in the address. */
const text = (key: string) => (typeof route.query[key] === 'string' ? (route.query[key] as string) : '')
const start = computed(() =>
  props.inForce !== null
    ? 'in force'
    : props.editions.length
      ? `edition ${props.editions[0]!.number}`
      : 'change 0',
)
const before = computed(() => text('before') || start.value)
const after = computed(() => text('after') || 'draft')
const to = computed(() => text('to'))
const {
  data: told,
  isFetching,
  error,
} = useComparison(
  network,
  revision,
  before,
  after,
  to,
  computed(() => true),
)
function compare(query: Record<string, string>): void {
  void router.replace({ query: { ...route.query, ...query } })
}
const known = computed(() => [
  { value: 'draft', title: 'the draft' },
  ...(props.inForce === null
    ? []
    : [{ value: 'in force', title: `what is in force (edition ${props.inForce})` }]),
  ...props.editions.map((e) => ({ value: `edition ${e.number}`, title: `edition ${e.number}` })),
  { value: 'change 0', title: 'the draft as it was brought in' },
])
const MOMENT = 'moment'
const sides = [
  { key: 'before', label: 'From' },
  { key: 'after', label: 'to' },
] as const
const side = (key: 'before' | 'after') => (key === 'before' ? before.value : after.value)
const listed = (value: string) => known.value.some((k) => k.value === value)
/** A moment without a zone, as the field gives it, is meant in the zone of whoever looks. */
function pick(key: string, value: string): void {
  compare({ [key]: value === MOMENT ? new Date(Date.now() - 3_600_000).toISOString() : value })
}
function written(at: string): string {
  const date = new Date(at)
  return Number.isNaN(date.getTime()) ? '' : local(date)
}
function moment(key: string, value: string): void {
  const at = read(value, true)
  if (at) compare({ [key]: at.toISOString() })
}

const towards = ref(to.value)
watch(to, (now) => (towards.value = now))
const download = (form: string) =>
  `/api/networks/${network.value}/comparison/file?${new URLSearchParams({ before: before.value, after: after.value, form })}`

/** The draft can become an edition, once it has been seen what that does. */
const back = computed(() => {
  const number = /^edition (\d+)$/.exec(after.value === 'in force' ? `edition ${props.inForce}` : after.value)
  return before.value === 'draft' && number ? Number(number[1]) : null
})
async function restore(): Promise<void> {
  const number = back.value!
  const { revision, differences } = told.value!
  const question = {
    title: `Bring edition ${number} back?`,
    text: `${counted(differences.length, 'thing')} of the draft would become what they were, as is told below. It is one step, which can be undone.`,
    yes: `Bring edition ${number} back`,
    no: 'Cancel',
  }
  if (await sure(question)) await act(() => edits.restoreEdition.mutateAsync({ number, revision }))
}
</script>

<template>
  <section class="compared" aria-label="Comparison">
    <div class="sides">
      <div v-for="s in sides" :key="s.key" class="worded">
        <span aria-hidden="true">{{ s.label }}</span>
        <ChoiceField
          quiet
          inline
          :label="`Compare ${s.label.toLowerCase()}`"
          :items="[...known, { value: MOMENT, title: 'the draft at a moment …' }]"
          :model-value="listed(side(s.key)) ? side(s.key) : MOMENT"
          @update:model-value="pick(s.key, $event!)"
        />
        <DateField
          v-if="!listed(side(s.key))"
          time
          quiet
          :label="`Moment to compare ${s.label.toLowerCase()}`"
          :model-value="written(side(s.key))"
          @update:model-value="moment(s.key, $event)"
        />
      </div>
      <form class="towards" @submit.prevent="compare({ to: towards })">
        <label
          >only towards
          <input
            v-model="towards"
            class="plain-field"
            type="search"
            placeholder="a name or address"
            @change="compare({ to: towards })"
          />
        </label>
      </form>
    </div>
    <p v-if="error" class="problem" role="alert">{{ error.message }}</p>
    <template v-else-if="told">
      <div class="acts">
        <template v-if="back !== null && writable && told.differences.length">
          <v-btn variant="outlined" :loading="busy" @click="restore">Bring edition {{ back }} back</v-btn>
        </template>
        <a class="link" :href="download('html')" download>download as a page</a>
        <a class="link" :href="download('json')" download>as JSON</a>
      </div>
      <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
      <p v-if="to && !told.policies.length">Nothing changes towards {{ to }}.</p>
      <ComparedEffect
        class="told"
        data-testid="comparison"
        :told="told"
        :stale="isFetching"
        edits
        @ask="compare({ q: $event })"
      />
    </template>
  </section>
</template>

<style scoped>
.sides,
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 16px;
  align-items: center;
  margin-bottom: 12px;
}
.sides select {
  max-width: 230px;
}
.towards input {
  width: 150px;
}
.told {
  max-width: 780px;
}
</style>
