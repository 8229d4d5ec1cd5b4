<script setup lang="ts">
/** One schedule: its windows and exceptions with the week they come down to, and what an edit would do. */
import { computed, onBeforeUnmount, onMounted, ref, shallowRef, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { Schedule, ScheduleLine, Shapes } from '@/api/client'
import { consequenceOfThing } from '@/api/ground'
import { weekOf } from '@/api/schedules'
import type { Field } from '@/editing/things'
import { dayName, nowWords, shifted } from '@/places/schedules/week'
import { useConsequence } from '@/editing/consequence'
import { useEditing } from '@/editing/editing'
import EditingNotes from '@/editing/EditingNotes.vue'
import { closesList } from '@/editing/escape'
import ConsequenceList from '@/editing/ConsequenceList.vue'
import FormField from '@/editing/FormField.vue'
import HistoryList from '@/editing/HistoryList.vue'
import DateField from '@/ui/DateField.vue'
import WeekStrip from '@/places/schedules/WeekStrip.vue'

const props = defineProps<{
  network: number
  line: ScheduleLine | null
  zone: string
  writable: boolean
  /** Somebody has deleted it. */
  gone: boolean
  save: (thing: Schedule, ver: number) => Promise<unknown>
  remove: (ver: number) => Promise<unknown>
}>()
const emit = defineEmits<{ close: [] }>()

const FIELDS: readonly Field[] = [
  { key: 'name', label: 'Name', type: 'text' },
  { key: 'windows', label: 'Active', type: 'list', hint: 'mon-fri 05:30-07:00, or fri 20:00-mon 06:00' },
  { key: 'except', label: 'Except', type: 'list', hint: 'wed 05:30-06:00, or 2026-12-24 to 2026-12-26' },
  { half: true, key: 'first', label: 'From the date', type: 'text', hint: '2027-05-01' },
  { half: true, key: 'last', label: 'To the date', type: 'text', hint: '2027-10-31' },
]
const WHY: Field = { key: 'description', label: 'What happens then', type: 'lines' }
const PAUSE_MS = 80
const BLANK = { name: '', windows: [], except: [], first: '', last: '', description: '', accepted: [] }

const start = () =>
  JSON.parse(JSON.stringify({ ...BLANK, ...props.line?.thing })) as Required<Schedule> &
    Record<string, unknown>
const { draft, base, resumed, problems, failure, meanwhile, busy, dirty, act, kept } = useEditing({
  read: start,
  ver: () => props.line?.ver ?? 0,
  place: () => `schedule ${props.network} ${props.line?.id ?? 0}`,
})

// The week it comes down to, as it is written now.
const date = ref('')
const week = shallowRef<Shapes['WeekOut'] | null>(null)
const typing = ref(false)
let timer = 0
let asking: AbortController | undefined

const meaning = computed(() => JSON.stringify([draft.windows, draft.except, draft.first, draft.last]))
const written = computed(() => ({
  ...(JSON.parse(JSON.stringify(draft)) as Schedule),
  name: draft.name || 'it',
}))

async function look(): Promise<void> {
  asking?.abort()
  asking = new AbortController()
  try {
    const told = await weekOf(props.network, { schedule: written.value, date: date.value }, asking.signal)
    if (told.problems.length && week.value) week.value = { ...week.value, problems: told.problems }
    else week.value = told
  } catch {
    // A newer key stroke has asked again, or the server is away, which saving will tell.
  }
}
const { told, stale, about } = useConsequence('schedule', (asked, thing: Schedule, signal) =>
  consequenceOfThing(props.network, 'schedules', props.line!.id, { ...asked, thing }, signal),
)
const changed = computed(
  () =>
    props.line !== null &&
    meaning.value !==
      JSON.stringify(
        ['windows', 'except', 'first', 'last'].map((k) => (base.value.thing as Record<string, unknown>)[k]),
      ),
)
function tell(): void {
  typing.value = false
  if (draft.windows.length) void look()
  else week.value = null
  void about(changed.value && draft.windows.length ? written.value : null)
}
watch(meaning, () => {
  typing.value = true
  clearTimeout(timer)
  timer = window.setTimeout(tell, PAUSE_MS)
})
watch([date, () => props.zone], () => draft.windows.length && look())
onMounted(() => {
  tell()
  if (!props.line) document.getElementById('thing-name')?.focus()
})
onBeforeUnmount(() => clearTimeout(timer))

const shownProblems = computed(() => [...problems.value, ...(week.value?.problems ?? [])])
const elsewhere = computed(() =>
  shownProblems.value.filter((p) => ![...FIELDS, WHY].some((f) => f.key === String(p.path[0]))),
)
const monday = computed(() => week.value?.days[0]?.date ?? '')

async function submit(): Promise<void> {
  await act(async () => {
    const { name, windows, except, first, last, description, accepted } = JSON.parse(
      JSON.stringify(draft),
    ) as Required<Schedule>
    await props.save(
      { name: name.trim(), windows, except, first: first.trim(), last: last.trim(), description, accepted },
      base.value.ver,
    )
    kept()
    void about(null)
  })
}

const route = useRoute()
const router = useRouter()
function ask(q: string): void {
  void router.replace({ query: { ...route.query, q } })
}
</script>

<template>
  <section class="editor form-panel" @keydown.esc.stop="closesList($event) || emit('close')">
    <h2>{{ line ? line.thing.name : 'New schedule' }}</h2>
    <EditingNotes :gone="gone" :resumed="resumed" :meanwhile="meanwhile" />
    <p class="soft small" data-testid="now">
      {{ line ? nowWords(line) : 'when rules are active' }} · {{ zone }}
    </p>
    <form id="schedule-form" novalidate @submit.prevent="submit">
      <fieldset class="form-fields" :disabled="!writable">
        <FormField
          v-for="field in FIELDS"
          :key="field.key"
          v-model="draft[field.key]"
          :field="field"
          :path="[field.key]"
          :problems="shownProblems"
          :names="() => []"
          :class="{ half: field.half }"
        />
      </fieldset>
      <p v-for="text in week?.echoes" :key="text" class="echo small">{{ text }}</p>
      <div v-if="week && week.days.length" class="week" :class="{ stale: typing }">
        <div class="turn small">
          <button type="button" class="link" aria-label="week before" @click="date = shifted(monday, -1)">
            ‹
          </button>
          <span>week of {{ dayName(monday) }}</span>
          <button type="button" class="link" aria-label="week after" @click="date = shifted(monday, 1)">
            ›
          </button>
          <button v-if="date" type="button" class="link" @click="date = ''">this week</button>
          <DateField v-model="date" quiet label="Show the week of" class="other" />
        </div>
        <WeekStrip :days="week.days" :today="week.today" />
      </div>
      <ConsequenceList v-if="line && told" :told="told" :stale="stale || typing" named :few="6" @ask="ask" />
      <details v-if="week && week.moments.length" class="small soft whole">
        <summary>all its moments from today on</summary>
        <p v-for="text in week.moments" :key="text">{{ text }}</p>
      </details>
      <fieldset class="form-fields" :disabled="!writable">
        <FormField
          v-model="draft.description"
          :field="WHY"
          :path="['description']"
          :problems="shownProblems"
          :names="() => []"
        />
      </fieldset>
      <p v-for="p in elsewhere" :key="p.place + p.message" class="problem" role="alert">{{ p.message }}</p>
      <p v-if="failure" class="problem" role="alert">{{ failure }}</p>
    </form>
    <div v-if="writable" class="form-end">
      <v-btn type="submit" form="schedule-form" color="primary" :loading="busy" :disabled="!dirty">{{
        gone ? 'Add as new' : line ? 'Save' : 'Add'
      }}</v-btn>
      <v-btn variant="outlined" @click="emit('close')">{{ dirty ? 'Discard' : 'Close' }}</v-btn>
      <v-btn v-if="line && !line.used.length" variant="outlined" @click="act(() => remove(base.ver))"
        >Delete</v-btn
      >
    </div>
    <template v-if="line?.used.length">
      <h3>Used in</h3>
      <ul>
        <li v-for="use in line.used" :key="`${use.policy}/${use.owner}`">
          <router-link
            v-if="use.policy_id"
            class="link"
            :to="{ name: 'rules', params: { network, policy: use.policy_id }, query: { rule: use.rule_id } }"
            >{{ use.owner }}</router-link><template v-else>{{ use.owner }}</template>
          <span class="soft small where">{{ use.policy }}</span>
        </li>
      </ul>
    </template>
    <HistoryList v-if="line" :id="line.id" :key="line.id" :network="network" kind="name" :ver="line.ver" />
  </section>
</template>

<style scoped>
h3 {
  font-size: 13px;
  margin: 16px 0 3px;
}
.echo {
  margin-top: 8px;
}
.week {
  margin-top: 14px;
}
.week.stale {
  opacity: 0.5;
}
.turn {
  display: flex;
  gap: 8px;
  align-items: center;
  margin-bottom: 5px;
}
.turn .other {
  margin-left: auto;
}
.whole {
  margin-top: 8px;
}
.whole summary {
  cursor: pointer;
}
ul {
  list-style: none;
  padding: 0;
}
li {
  padding: 2px 0;
}
.where {
  margin-left: 8px;
}
</style>
