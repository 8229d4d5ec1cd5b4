<script setup lang="ts">
/** One thing that must hold, as a form: whether it would, while it is written, and what belongs around it. */
import { computed, onBeforeUnmount, onMounted, ref, shallowRef, watch } from 'vue'
import type { ProblemOut, Shapes } from '@/api/client'
import { complementsOf, type Expectation, type ExpectationOut, lookAt, waysAround } from '@/api/expectations'
import { Problem } from '@/api/client'
import type { Field, Source } from '@/editing/things'
import { useEditing } from '@/editing/editing'
import EditingNotes from '@/editing/EditingNotes.vue'
import { closesList } from '@/editing/escape'
import FormField from '@/editing/FormField.vue'
import HistoryList from '@/editing/HistoryList.vue'
import SinceWhen from '@/frame/SinceWhen.vue'
import type { Mend } from '@/places/verify/mending'
import VerdictLine from '@/places/verify/VerdictLine.vue'

const props = defineProps<{
  network: number
  line: ExpectationOut | null
  /** What a new one begins with. */
  begin: Expectation | null
  writable: boolean
  /** Somebody has deleted it. */
  gone: boolean
  names: (source: Source) => string[]
  save: (thing: Expectation, ver: number) => Promise<unknown>
  remove: (ver: number) => Promise<unknown>
  takeMore: (things: Expectation[]) => Promise<unknown>
  /** Since which change it does not hold, once that is known. */
  since: Shapes['SinceOut'] | null
  /** A rule that mends what does not hold, if there is one. */
  mend: (thing: Expectation, told: Shapes['Verdicted']) => Mend | null
}>()
const emit = defineEmits<{ close: []; ask: [question: string]; mend: [mend: Mend] }>()

const FIELDS: readonly Field[] = [
  { key: 'name', label: 'Name', type: 'text' },
  { key: 'source', label: 'Who', type: 'list', from: 'party' },
  { key: 'must', label: 'must be', type: 'choice', options: ['allowed', 'blocked'] },
  { key: 'destination', label: 'Whom', type: 'list', from: 'party' },
  { key: 'service', label: 'On', type: 'list', from: 'service' },
  {
    half: true,
    key: 'at',
    label: 'At, if not always',
    type: 'text',
    hint: 'a schedule, or sat 03:00',
    empty: true,
  },
  { half: true, key: 'until', label: 'Until the date', type: 'text', hint: '2027-03-31' },
  { key: 'owner', label: 'Who answers for it', type: 'text' },
  { key: 'description', label: 'Why it must hold', type: 'lines' },
]
const BLANK = {
  name: '',
  source: [],
  must: 'blocked' as const,
  destination: [],
  service: ['any'],
  at: null,
  until: '',
  owner: '',
  description: '',
}
const PAUSE_MS = 150

const start = () =>
  JSON.parse(
    JSON.stringify({ ...BLANK, ...(props.line?.thing ?? props.begin ?? {}) }),
  ) as Required<Expectation> & Record<string, unknown>
const { draft, base, resumed, problems, failure, meanwhile, busy, dirty, act, kept } = useEditing({
  read: start,
  ver: () => props.line?.ver ?? 0,
  place: () => `expectation ${props.network} ${props.line?.id ?? 0}`,
  gone: () => props.gone || (!props.line && props.begin !== null),
})

const thing = (): Expectation => {
  const made = JSON.parse(JSON.stringify(draft)) as Required<Expectation>
  return { ...made, name: made.name.trim(), at: made.at?.trim() || null, until: made.until.trim() }
}
const complete = computed(() => draft.source.length && draft.destination.length && draft.service.length)

// Whether it would hold, as it is written now.
const seen = shallowRef<Shapes['LookedAt'] | null>(null)
const around = shallowRef<Shapes['ComplementOut'][]>([])
/** Near flows that work; and what works while something is unplugged, once somebody asks. */
const ways = shallowRef<Shapes['WayOut'][]>([])
const unplugged = shallowRef<Shapes['AroundOut'] | null>(null)
const unplugging = ref(false)
const looking = ref(false)
const meaning = computed(() =>
  JSON.stringify([draft.source, draft.must, draft.destination, draft.service, draft.at, draft.until]),
)
let timer = 0
let asking: AbortController | undefined

async function look(): Promise<void> {
  asking?.abort()
  asking = new AbortController()
  const { signal } = asking
  if (!complete.value) {
    seen.value = null
    around.value = []
    ways.value = []
    looking.value = false
    return
  }
  try {
    const what = { ...thing(), name: draft.name.trim() || 'it' }
    seen.value = await lookAt(props.network, what, signal)
    looking.value = false
    const told = seen.value.told !== null
    around.value = told ? await complementsOf(props.network, what, signal) : []
    unplugged.value = null
    unplugging.value = false
    ways.value =
      told && what.must === 'blocked' ? (await waysAround(props.network, what, false, signal)).ways : []
  } catch (error) {
    if (!signal.aborted && !(error instanceof Problem)) throw error
  }
}
/** What works while something is unplugged takes seconds: once through the network for each interface. */
async function unplug(): Promise<void> {
  const signal = asking?.signal
  unplugging.value = true
  try {
    const found = await waysAround(
      props.network,
      { ...thing(), name: draft.name.trim() || 'it' },
      true,
      signal,
    )
    if (!signal?.aborted) unplugged.value = found
  } catch (error) {
    if (!signal?.aborted && !(error instanceof Problem)) throw error
  } finally {
    if (!signal?.aborted) unplugging.value = false
  }
}
const allWays = computed(() => [...ways.value, ...(unplugged.value?.ways ?? [])])
const unpluggedWords = computed(() => {
  if (!unplugged.value) return ''
  const { ways: some, untried } = unplugged.value
  const none = some.length ? '' : 'Nothing more of it works while one interface or one device is unplugged. '
  return untried.length
    ? `${none}There was no time to unplug ${untried.slice(0, 3).join(', ')}${untried.length > 3 ? ` and ${untried.length - 3} more` : ''}.`
    : none
})
watch(meaning, () => {
  looking.value = true
  clearTimeout(timer)
  timer = window.setTimeout(look, PAUSE_MS)
})
// What others save meanwhile may change whether it holds.
watch(() => props.line?.verdict, look)
onMounted(() => {
  void look()
  if (!props.line) document.getElementById(draft.source.length ? 'thing-name' : 'thing-source')?.focus()
})
onBeforeUnmount(() => {
  clearTimeout(timer)
  asking?.abort()
})

const mendOf = (of: Expectation, told: Shapes['Verdicted']) =>
  props.writable && !dirty.value && told.verdict === 'broken' ? props.mend(of, told) : null
const mending = computed(() => seen.value?.told && mendOf(thing(), seen.value.told))

const shown = computed<ProblemOut[]>(() => [...problems.value, ...(seen.value?.problems ?? [])])
const elsewhere = computed(() =>
  shown.value.filter((p) => !FIELDS.some((f) => f.key === String(p.path.find((s) => s !== 'things')))),
)

async function submit(): Promise<void> {
  await act(async () => {
    const wanted = thing()
    if (!wanted.name) wanted.name = called(wanted)
    await props.save(wanted, base.value.ver)
    kept()
  })
}

/** A name that says what it is about, where nobody has given one. */
function called(of: Expectation): string {
  const on = of.service.includes('any') ? '' : ` on ${of.service.join(', ')}`
  return `${of.source.join(', ')} ${of.must === 'allowed' ? 'reach' : 'never reach'} ${of.destination.join(', ')}${on}`.slice(
    0,
    190,
  )
}

const KINDS = {
  neighbours: 'its neighbours',
  'other services': 'anything else',
  'other family': 'the other family',
  'other direction': 'the other way',
}
const WAYS = {
  'before translation': 'before translation',
  'while unplugged': 'while',
  'leased address': 'a leased address',
  'same application': 'the same application',
  'other family': 'the other family',
  'other direction': 'the other way',
}
const open = computed(() => around.value.filter((c) => !c.there))
async function take(some: { thing: Expectation }[]): Promise<void> {
  await act(() => props.takeMore(some.map((c) => ({ ...c.thing, owner: draft.owner }))))
  await look()
}
</script>

<template>
  <section class="editor form-panel" @keydown.esc.stop="closesList($event) || emit('close')">
    <h2>{{ line ? line.thing.name : 'A new thing that must hold' }}</h2>
    <EditingNotes :gone="gone" :resumed="resumed" :meanwhile="meanwhile" />
    <VerdictLine
      v-if="seen?.told"
      class="now"
      role="status"
      :class="{ stale: looking }"
      :told="seen.told"
      :must="draft.must"
      :network="network"
      @ask="emit('ask', $event)"
    />
    <p v-else class="soft small now">
      {{ complete ? 'Being worked out.' : 'Who must, or must not, reach whom?' }}
    </p>
    <button v-if="mending" type="button" class="link small mending" @click="emit('mend', mending)">
      write a rule in {{ mending.policyName }} that {{ draft.must === 'blocked' ? 'drops' : 'allows' }} it
    </button>
    <SinceWhen v-if="since && !dirty" class="small" :since="since" nothing="it was not written" />
    <form id="expectation-form" novalidate @submit.prevent="submit">
      <fieldset class="form-fields" :disabled="!writable">
        <FormField
          v-for="field in FIELDS"
          :key="field.key"
          v-model="draft[field.key]"
          :field="field"
          :path="[field.key]"
          :problems="shown"
          :names="names"
          :class="{ half: field.half }"
        />
      </fieldset>
      <p v-for="p in elsewhere" :key="p.place + p.message" class="problem" role="alert">{{ p.message }}</p>
      <p v-if="failure && !meanwhile" class="problem" role="alert">{{ failure }}</p>
    </form>
    <section v-if="open.length" class="around" aria-label="What belongs around it">
      <h3>What must stay blocked around it</h3>
      <ul>
        <li v-for="one in open" :key="one.thing.name">
          <span class="kind">{{ KINDS[one.kind] }}</span>
          <span class="small soft words">{{ one.sentence.slice(one.thing.name.length + 2) }}</span>
          <VerdictLine small :told="one" must="blocked" :network="network" @ask="emit('ask', $event)" />
          <button v-if="writable" type="button" class="link small" @click="take([one])">take it</button>
        </li>
      </ul>
      <button v-if="writable && open.length > 1" type="button" class="link" @click="take(open)">
        take all {{ open.length }}
      </button>
    </section>
    <section v-if="seen?.told && draft.must === 'blocked'" class="around" aria-label="Ways around it">
      <h3>Ways around it</h3>
      <ul>
        <li v-for="way in allWays" :key="way.kind + way.unplugged + way.thing.name">
          <span class="kind">{{ WAYS[way.kind] }}</span>
          <span class="small soft words">{{
            way.unplugged
              ? `${way.unplugged} is unplugged`
              : [way.by, way.sentence.slice(way.thing.name.length + 2)].filter(Boolean).join(': ')
          }}</span>
          <VerdictLine
            small
            :told="way"
            :word="way.verdict === 'broken' ? 'works' : undefined"
            must="blocked"
            :network="network"
            @ask="emit('ask', $event)"
          />
          <button
            v-if="writable && !way.unplugged && !way.there"
            type="button"
            class="link small"
            @click="take([way])"
          >
            this must stay blocked too
          </button>
          <button
            v-if="mendOf(way.thing, way)"
            type="button"
            class="link small mending"
            @click="emit('mend', mendOf(way.thing, way)!)"
          >
            write a rule that drops it
          </button>
        </li>
      </ul>
      <p v-if="unplugging" class="soft small" role="status">
        It is being worked out what works while something is unplugged.
      </p>
      <p v-else-if="unplugged" class="soft small" role="status">{{ unpluggedWords }}</p>
      <button v-else type="button" class="link small" @click="unplug">
        and while something is unplugged?
      </button>
    </section>
    <div v-if="writable" class="form-end">
      <v-btn type="submit" form="expectation-form" color="primary" :loading="busy" :disabled="!dirty">{{
        gone ? 'Add as new' : line ? 'Save' : 'Add'
      }}</v-btn>
      <v-btn variant="outlined" @click="emit('close')">{{ dirty ? 'Discard' : 'Close' }}</v-btn>
      <v-btn v-if="line && !gone" variant="outlined" @click="act(() => remove(base.ver))">Delete</v-btn>
    </div>
    <HistoryList v-if="line" :id="line.id" :key="line.id" :network="network" kind="name" :ver="line.ver" />
  </section>
</template>

<style scoped>
.now {
  margin: 6px 0 4px;
}
.stale {
  opacity: 0.5;
}
h3 {
  font-size: 13px;
  margin: 16px 0 3px;
}
ul {
  list-style: none;
  padding: 0;
  margin: 0 0 6px;
}
li {
  padding: 5px 0;
  border-bottom: 1px solid var(--hair);
}
.kind {
  margin-right: 8px;
  font-weight: 600;
}
.words {
  overflow-wrap: anywhere;
}
.mending {
  display: block;
  margin: 4px 0;
}
</style>
