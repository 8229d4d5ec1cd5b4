<script setup lang="ts">
/** All segments at once: who reaches whom. Where lines only cross nothing works; where one turns, something does. */
import { computed, onBeforeUnmount, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { useGround } from '@/api/ground'
import { useAllSegments, useReachChanges } from '@/api/allSegments'
import { useMentions } from '@/api/expectations'
import { useFrame } from '@/frame/frame'
import CrossingChart from '@/places/verify/CrossingChart.vue'
import PairPanel from '@/places/verify/PairPanel.vue'
import { changeOf, crossingsOf, keyOf, mentionOf, segmentsOf, sentenceOf } from '@/places/verify/crossings'
import { counted, quoted } from '@/words'

const PANEL = 290
/** So many segments are folded by their zones at first. */
const MANY = 80

const { id: network, revision } = useFrame()
const route = useRoute()
const router = useRouter()
const service = computed(() => (typeof route.query.service === 'string' ? route.query.service : 'any'))
const at = computed(() => (typeof route.query.at === 'string' ? route.query.at : ''))
const { data: ground } = useGround(network, revision)
/** Name service, time and ping are looked past until they, or one service, are asked for. */
const everything = ref(false)
const aside = computed(() => service.value === 'any' && !everything.value)
const {
  data: told,
  error,
  isFetching,
  isPlaceholderData,
} = useAllSegments(network, service, at, aside, revision)
const working = computed(() => (told.value && told.value.share < 1 ? told.value.share : null))
const { data: changes } = useReachChanges(network, service, at, revision)
/** What the draft changes, if that was told of what is shown. */
const changed = computed(() =>
  changes.value && changes.value.revision === told.value?.revision ? changes.value : null,
)
const only = ref(false)
const { data: mentions } = useMentions(network, revision)
/** Only pairs that something is expected of. */
const expected = ref(false)
const zones = computed(() => {
  const found = new Map<string, number>()
  for (const { zone } of ground.value ? segmentsOf(ground.value) : [])
    if (zone) found.set(zone, (found.get(zone) ?? 0) + 1)
  return [...found].filter(([, count]) => count > 1).map(([zone]) => zone)
})
const folded = ref<ReadonlySet<string>>(new Set())
watch(
  () => (ground.value?.segments.length ?? 0) > MANY,
  (many) => many && (folded.value = new Set(zones.value)),
  { immediate: true },
)
const allFolded = computed({
  get: () => zones.value.length > 0 && zones.value.every((zone) => folded.value.has(zone)),
  set: (yes) => (folded.value = new Set(yes ? zones.value : [])),
})
/** Fold a zone into one line, or unfold it. */
function turnZone(zone: string | undefined): void {
  if (!zone || !zones.value.includes(zone)) return
  const now = new Set(folded.value)
  if (!now.delete(zone)) now.add(zone)
  folded.value = now
}
const chart = computed(() =>
  crossingsOf(
    ground.value!,
    told.value?.cells ?? [],
    changed.value?.pairs,
    {
      only: only.value && !!changed.value?.pairs.length,
      expected: expected.value && !!mentions.value?.length,
      folded: folded.value,
    },
    mentions.value,
  ),
)
const inDraft = computed(() => {
  if (!changed.value) return ''
  if (changed.value.before === null) return 'nothing is in force yet'
  const { length } = changed.value.pairs
  const more = changed.value.complete ? '' : ', and perhaps others'
  return length ? `the draft changes ${counted(length, 'pair')}${more}` : `the draft changes no pair${more}`
})

const wanted = ref(service.value)
const moment = ref(at.value)
watch([service, at], (now) => ([wanted.value, moment.value] = now)) // Back, or a link
function ask(): void {
  const query = {
    ...route.query,
    service: wanted.value.trim() || undefined,
    at: moment.value.trim() || undefined,
  }
  void router.replace({ query: { ...query, service: query.service === 'any' ? undefined : query.service } })
}

const frame = ref<HTMLElement>()
const room = ref(1080)
const watching = new ResizeObserver(([entry]) => (room.value = entry!.contentRect.width || room.value))
watch(frame, (now) => now && watching.observe(now))
onBeforeUnmount(() => watching.disconnect())
const cursor = ref({ row: 0, column: 1 })
watch([only, expected, folded], () => (cursor.value = { row: 0, column: 0 }))
const ends = computed(() => ({
  from: chart.value.rows[cursor.value.row],
  to: chart.value.columns[cursor.value.column],
}))
/** The question about the pair, with its course. */
function open(): void {
  const { from, to } = ends.value
  if (!from || !to) return
  const many = [from, to].filter((line) => line.members.length > 1)
  if (many.length) return many.forEach((line) => folded.value.has(line.zone) && turnZone(line.zone))
  const on = service.value === 'any' ? '' : ` on ${quoted(service.value)}`
  const when = at.value ? ` at ${at.value}` : ''
  const q = `${quoted(from.name)} to ${quoted(to.name)}${to.itself ? ' itself' : ''}${on}${when}`
  void router.push({ name: 'question', params: { network: network.value }, query: { q } })
}
const file = (form: string) => {
  const asked = new URLSearchParams({ form, service: service.value, at: at.value })
  return `/api/networks/${network.value}/matrix/file?${asked}`
}
const sum = computed(() => {
  const all = chart.value.rows.length * (chart.value.columns.length - 1)
  const works = [...chart.value.cells.values()].filter(
    ({ verdict }) => verdict === 'all' || verdict === 'some',
  ).length
  const what = aside.value ? 'something besides name service, time and ping' : 'something'
  return `${what} works between ${works.toLocaleString('en')} of ${counted(all, 'pair')}`
})
/** For whoever hears the chart: a sentence a segment. */
const sentences = computed(() =>
  chart.value.rows.map((line, row) => {
    const there = chart.value.columns.flatMap((to, column) => {
      const cell = chart.value.cells.get(keyOf(row, column))
      const change = chart.value.changes.get(keyOf(row, column))
      const mention = chart.value.mentions.get(keyOf(row, column))
      const parts = [
        cell ? sentenceOf(cell) : change || mention?.bad.length ? 'nothing' : '',
        change ? changeOf(change) : '',
        mention?.bad.length ? mentionOf(mention) : '',
      ]
      const words = parts.filter(Boolean).join('; ')
      return words ? [`${to.name}${to.itself ? ' itself' : ''} (${words})`] : []
    })
    return `${line.name} reaches ${there.length ? there.join('; ') : 'nobody'}.`
  }),
)
</script>

<template>
  <div class="all">
    <header class="head">
      <h1>All segments</h1>
      <span v-if="told && ground && working === null" class="soft"
        >{{ sum }}<template v-if="inDraft">; {{ inDraft }}</template></span
      >
      <label v-if="changed?.pairs.length" class="small">
        <input v-model="only" type="checkbox" /> only what the draft changes
      </label>
      <label v-if="mentions?.length" class="small">
        <input v-model="expected" type="checkbox" /> only what must hold
      </label>
      <label v-if="zones.length" class="small">
        <input v-model="allFolded" type="checkbox" /> zones folded
      </label>
      <label v-if="service === 'any'" class="small">
        <input v-model="everything" type="checkbox" /> name service, time, ping too
      </label>
      <form class="asking" @submit.prevent="ask">
        <label>on <input v-model="wanted" aria-label="Service" placeholder="any" @change="ask" /></label>
        <label
          >at <input v-model="moment" aria-label="Moment" placeholder="all moments" @change="ask"
        /></label>
      </form>
    </header>
    <p v-if="error" class="problem note" role="alert">{{ error.problems[0]?.message ?? error.message }}</p>
    <p v-else-if="ground && !ground.segments.length" class="soft note">
      No segment is on the ground yet, so nobody reaches anybody.
    </p>
    <p v-else-if="!told || !ground || working !== null" class="soft note" role="status">
      Every pair is being worked out<template v-if="working"
        >: {{ Math.floor(working * 100) }} % of the segments are</template
      >.
      <progress v-if="working !== null" :value="working" aria-label="How much is worked out" />
    </p>
    <div v-else ref="frame" class="body" :class="{ stale: isFetching && isPlaceholderData }">
      <CrossingChart
        v-model:cursor="cursor"
        :chart="chart"
        :room="room - PANEL"
        @open="open"
        @turn-zone="turnZone"
      />
      <PairPanel v-model:cursor="cursor" :chart="chart" :aside="aside" :file="file" @open="open" />
      <ul class="heard">
        <li v-for="sentence in sentences" :key="sentence">{{ sentence }}</li>
      </ul>
    </div>
  </div>
</template>

<style scoped>
.all {
  height: 100%;
  display: grid;
  grid-template: auto auto minmax(0, 1fr) / minmax(0, 1fr);
}
.head {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 14px;
  align-items: baseline;
  padding: 13px 16px 11px;
}
.head [type='checkbox'] {
  accent-color: var(--ink);
}
.asking {
  margin-left: auto;
  display: flex;
  gap: 12px;
}
.asking input {
  width: 118px;
  padding: 3px 6px;
  border: 1px solid var(--soft);
  border-radius: 2px;
  background: var(--sheet);
  color: var(--ink);
}
.note {
  padding: 12px 16px;
}
.body {
  position: relative;
  grid-row: 3;
  display: flex;
  min-height: 0;
  padding-left: 16px;
}
.body.stale {
  opacity: 0.5;
}
progress {
  accent-color: var(--ink);
  vertical-align: middle;
}
.heard {
  position: absolute;
  width: 1px;
  height: 1px;
  margin: 0;
  overflow: hidden;
  clip-path: inset(50%);
}
@media (max-width: 900px) {
  .body {
    flex-direction: column;
    overflow-y: auto;
  }
}
</style>
