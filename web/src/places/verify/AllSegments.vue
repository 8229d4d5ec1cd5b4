<script setup lang="ts">
/** All segments at once: who reaches whom. Where lines only cross nothing works; where one turns, something does. */
import { computed, nextTick, onBeforeUnmount, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { useGround } from '@/api/ground'
import { useAllSegments, useReachChanges } from '@/api/allSegments'
import { useFrame } from '@/frame/frame'
import { water } from '@/places/ground/chart'
import { changeOf, countOf, crossingsOf, keyOf, sentenceOf, turnOf } from '@/places/verify/crossings'
import { counted, quoted } from '@/words'

const LABEL = 128
const HEAD = 104
const GAP = 10
const PITCH = { least: 15, most: 24 }
const PANEL = 290

const { id: network, revision } = useFrame()
const route = useRoute()
const router = useRouter()
const service = computed(() => (typeof route.query.service === 'string' ? route.query.service : 'any'))
const at = computed(() => (typeof route.query.at === 'string' ? route.query.at : ''))
const { data: ground } = useGround(network, revision)
const { data: told, error, isFetching, isPlaceholderData } = useAllSegments(network, service, at, revision)
const { data: changes } = useReachChanges(network, service, at, revision)
/** What the draft changes, if that was told of what is shown. */
const changed = computed(() =>
  changes.value && changes.value.revision === told.value?.revision ? changes.value : null,
)
const only = ref(false)
const chart = computed(() =>
  crossingsOf(
    ground.value!,
    told.value?.cells ?? [],
    changed.value?.pairs,
    only.value && !!changed.value?.pairs.length,
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
const pitch = computed(() => {
  const wide = (room.value - LABEL - GAP - PANEL) / Math.max(1, chart.value.columns.length)
  return Math.min(PITCH.most, Math.max(PITCH.least, Math.floor(wide)))
})
const xOf = (column: number) =>
  LABEL + column * pitch.value + pitch.value / 2 + (column >= chart.value.rows.length ? GAP : 0)
const yOf = (row: number) => HEAD + row * pitch.value + pitch.value / 2
const width = computed(() => xOf(chart.value.columns.length - 1) + pitch.value)
const height = computed(() => yOf(chart.value.rows.length - 1) + pitch.value / 2 + 2)
/** Whatever lies inward of a band: tinted by how deep it goes. */
const inward = computed(() =>
  chart.value.bands.flatMap((row) =>
    chart.value.bands
      .filter((column) => (column.depth ?? 0) > (row.depth ?? 2))
      .map((column) => ({ row, column })),
  ),
)
const half = computed(() => pitch.value / 2)
/** A line that turns towards its destination, within so much at each side. */
const turn = (h: number) =>
  `M${-h},0 C${-h * 0.1},0 0,${-h * 0.1} 0,${-h + 1} M${-h * 0.35},${-h * 0.62} L0,${-h + 1} L${h * 0.35},${-h * 0.62}`

const cursor = ref({ row: 0, column: 1 })
watch(only, () => (cursor.value = { row: 0, column: 0 }))
const itsChange = computed(() => chart.value.changes.get(keyOf(cursor.value.row, cursor.value.column)))
const chosen = computed(() => chart.value.cells.get(keyOf(cursor.value.row, cursor.value.column)))
const ends = computed(() => ({
  from: chart.value.rows[cursor.value.row],
  to: chart.value.columns[cursor.value.column],
}))
function look(event: MouseEvent): void {
  const box = (event.currentTarget as SVGElement).getBoundingClientRect()
  const x = event.clientX - box.left - LABEL
  const row = Math.floor((event.clientY - box.top - HEAD) / pitch.value)
  const beyond = x > chart.value.rows.length * pitch.value
  const column = Math.floor((beyond ? x - GAP : x) / pitch.value)
  if (chart.value.rows[row] && chart.value.columns[column]) cursor.value = { row, column }
}
function go(event: KeyboardEvent): void {
  const step = { ArrowUp: [-1, 0], ArrowDown: [1, 0], ArrowLeft: [0, -1], ArrowRight: [0, 1] }[event.key]
  const { row, column } = cursor.value
  const last = { row: chart.value.rows.length - 1, column: chart.value.columns.length - 1 }
  const to = step
    ? { row: row + step[0]!, column: column + step[1]! }
    : event.key === 'Home'
      ? { row: event.ctrlKey ? 0 : row, column: 0 }
      : event.key === 'End'
        ? { row: event.ctrlKey ? last.row : row, column: last.column }
        : null
  if (event.key === 'Enter') return open()
  if (!to) return
  event.preventDefault()
  cursor.value = {
    row: Math.min(Math.max(to.row, 0), last.row),
    column: Math.min(Math.max(to.column, 0), last.column),
  }
  void nextTick(() =>
    document.getElementById('crossing')?.scrollIntoView({ block: 'nearest', inline: 'nearest' }),
  )
}
/** The question about the pair, with its course. */
function open(): void {
  const { from, to } = ends.value
  if (!from || !to) return
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
  const works = [...chart.value.cells.values()].filter((cell) => cell.verdict !== 'undetermined').length
  return `something works between ${works} of ${counted(all, 'pair')}`
})
/** For whoever hears the chart: a sentence a segment. */
const sentences = computed(() =>
  chart.value.rows.map((line, row) => {
    const there = chart.value.columns.flatMap((to, column) => {
      const cell = chart.value.cells.get(keyOf(row, column))
      const change = chart.value.changes.get(keyOf(row, column))
      const parts = [cell ? sentenceOf(cell) : change ? 'nothing' : '', change ? changeOf(change) : '']
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
      <span v-if="told && ground" class="soft"
        >{{ sum }}<template v-if="inDraft">; {{ inDraft }}</template></span
      >
      <label v-if="changed?.pairs.length" class="small">
        <input v-model="only" type="checkbox" /> only what the draft changes
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
    <p v-else-if="!told || !ground" class="soft note" role="status">Every pair is being worked out.</p>
    <div v-else ref="frame" class="body" :class="{ stale: isFetching && isPlaceholderData }">
      <div
        class="scroll"
        tabindex="0"
        role="group"
        aria-label="Who reaches whom; the arrows go from pair to pair, Enter asks about one"
        aria-describedby="pair"
        @keydown="go"
      >
        <svg :width="width" :height="height" aria-hidden="true" @mousemove="look" @click="open">
          <g v-for="(band, i) in chart.bands" :key="i">
            <rect
              :x="0"
              :y="HEAD + band.from * pitch"
              :width="LABEL"
              :height="band.count * pitch"
              :style="{ fill: band.depth === null ? 'none' : water(band.depth) }"
            />
            <rect
              :x="LABEL + band.from * pitch"
              y="0"
              :width="band.count * pitch"
              :height="HEAD"
              :style="{ fill: band.depth === null ? 'none' : water(band.depth) }"
            />
          </g>
          <rect
            v-for="({ row, column }, i) in inward"
            :key="`in${i}`"
            class="inward"
            :x="LABEL + column.from * pitch"
            :y="HEAD + row.from * pitch"
            :width="column.count * pitch"
            :height="row.count * pitch"
            :style="{ fill: water(column.depth ?? 0) }"
          />
          <rect
            v-for="(band, i) in chart.bands"
            :key="`shore${i}`"
            class="shore"
            :x="LABEL + band.from * pitch"
            :y="HEAD + band.from * pitch"
            :width="band.count * pitch"
            :height="band.count * pitch"
          />
          <g class="lines">
            <path v-for="(_, row) in chart.rows" :key="`r${row}`" :d="`M${LABEL},${yOf(row)} H${width}`" />
            <path
              v-for="(_, column) in chart.columns"
              :key="`c${column}`"
              :d="`M${xOf(column)},${HEAD} V${height}`"
            />
          </g>
          <g class="cross">
            <path :d="`M${LABEL},${yOf(cursor.row)} H${xOf(cursor.column)} V${HEAD}`" />
            <rect
              id="crossing"
              :x="xOf(cursor.column) - half"
              :y="yOf(cursor.row) - half"
              :width="pitch"
              :height="pitch"
            />
          </g>
          <g class="names">
            <text
              v-for="(line, row) in chart.rows"
              :key="line.name"
              :x="LABEL - 6"
              :y="yOf(row) + 4"
              text-anchor="end"
              :class="{ lit: row === cursor.row }"
            >
              {{ line.name }}
            </text>
            <text
              v-for="(line, column) in chart.columns"
              :key="`${line.itself}${line.name}`"
              :transform="`translate(${xOf(column) + 4},${HEAD - 5}) rotate(-90)`"
              :class="{ lit: column === cursor.column, itself: line.itself }"
            >
              {{ line.name }}
            </text>
            <text :x="LABEL - 6" y="16" text-anchor="end" class="lit">to →</text>
            <text :x="LABEL - 6" :y="HEAD - 6" text-anchor="end" class="lit">from ↓</text>
          </g>
          <circle
            v-for="(_, row) in chart.rows"
            :key="`o${row}`"
            :cx="xOf(row)"
            :cy="yOf(row)"
            r="2"
            class="own"
          />
          <g
            v-for="[key, change] in chart.changes"
            :key="`d${key}`"
            class="draft"
            :transform="`translate(${xOf(Number(key.split(' ')[1]))},${yOf(Number(key.split(' ')[0]))})`"
          >
            <circle v-if="change.opens.length" class="halo" :r="half" />
            <path v-if="change.closes.length" class="ghost" :d="turn(half)" />
            <circle v-if="!change.opens.length && !change.closes.length" class="unsure" :r="half - 1" />
          </g>
          <g
            v-for="[key, cell] in chart.cells"
            :key="key"
            :class="['turn', turnOf(cell)]"
            :transform="`translate(${xOf(Number(key.split(' ')[1]))},${yOf(Number(key.split(' ')[0]))})`"
          >
            <path :d="turn(half)" />
            <text v-if="countOf(cell) && pitch > 16" :x="2" :y="half - 2">{{ countOf(cell) }}</text>
          </g>
        </svg>
      </div>
      <aside class="panel" aria-label="The pair">
        <div id="pair" aria-live="polite">
          <h2 v-if="ends.from && ends.to">
            {{ ends.from.name }} → {{ ends.to.name }}{{ ends.to.itself ? ' itself' : '' }}
          </h2>
          <p class="soft small">
            {{ ends.from?.zone || 'no zone' }} →
            {{ ends.to?.itself ? 'the device' : ends.to?.zone || 'no zone' }}
          </p>
          <p v-if="chosen">{{ sentenceOf(chosen) }}</p>
          <p v-else-if="!ends.to?.itself && ends.from?.name === ends.to?.name" class="soft">
            what stays inside one segment
          </p>
          <p v-else class="soft">nothing works</p>
          <p v-if="itsChange" class="its-change">{{ changeOf(itsChange) }}</p>
        </div>
        <v-btn variant="outlined" @click="open">the question ↵</v-btn>
        <p class="small files">
          take it as
          <a v-for="form in ['csv', 'json']" :key="form" :href="file(form)" download>{{
            form === 'csv' ? 'a table (CSV)' : 'JSON'
          }}</a>
        </p>
        <ul class="key soft small">
          <li v-for="kind in ['all', 'some', 'ways', 'unknown'] as const" :key="kind">
            <svg width="26" height="26" aria-hidden="true">
              <g :class="['turn', kind]" transform="translate(14,15)">
                <path :d="turn(11)" />
              </g>
            </svg>
            {{
              {
                all: 'everything',
                some: 'some, how many services',
                ways: 'by some ways only',
                unknown: 'nobody knows',
              }[kind]
            }}
          </li>
          <li v-if="changed?.pairs.length">
            <svg width="26" height="26" aria-hidden="true" class="draft">
              <circle class="halo" cx="13" cy="13" r="10" />
            </svg>
            the draft opens something
          </li>
          <li v-if="changed?.pairs.length">
            <svg width="26" height="26" aria-hidden="true" class="draft">
              <path class="ghost" transform="translate(14,15)" :d="turn(11)" />
            </svg>
            the draft closes something
          </li>
          <li>
            <svg width="26" height="26" aria-hidden="true" class="lines">
              <path d="M2,14 H26 M14,2 V26" />
            </svg>
            nothing: lines cross
          </li>
        </ul>
      </aside>
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
.scroll {
  overflow: auto;
  min-width: 0;
  flex: 0 1 auto;
}
.panel {
  flex: 0 0 274px;
  padding: 8px 16px;
  overflow-y: auto;
}
.panel h2 {
  font-size: 15px;
  margin: 0;
  overflow-wrap: anywhere;
}
.panel p {
  margin: 2px 0 10px;
  overflow-wrap: anywhere;
}
.files a {
  margin-left: 6px;
}
.key {
  list-style: none;
  padding: 0;
  margin: 18px 0 0;
}
.key li {
  display: flex;
  gap: 8px;
  align-items: center;
}
.names text {
  font-size: 11.5px;
  fill: var(--ink);
}
.names .lit {
  font-weight: 700;
}
.names .itself {
  font-style: italic;
}
.lines path {
  stroke: color-mix(in srgb, var(--ink) 16%, transparent);
  fill: none;
}
.inward {
  opacity: 0.45;
}
.shore {
  fill: none;
  stroke: var(--depth-5);
  stroke-width: 1.4;
}
.own {
  fill: var(--soft);
}
.cross path {
  fill: none;
  stroke: var(--focus);
}
.cross rect {
  fill: none;
  stroke: var(--focus);
  stroke-width: 2;
}
.turn path {
  fill: none;
  stroke: var(--allow);
  stroke-width: 1.7;
  stroke-linejoin: round;
}
.turn.all path {
  stroke-width: 3;
}
.turn.ways path {
  stroke-dasharray: 5 2;
}
.turn.unknown path {
  stroke: var(--undecided);
  stroke-dasharray: 2 2;
}
.draft .halo {
  fill: color-mix(in srgb, var(--allow) 26%, transparent);
  stroke: var(--allow);
  stroke-width: 1;
}
.draft .unsure {
  fill: none;
  stroke: var(--undecided);
  stroke-dasharray: 2 2;
}
.draft .ghost {
  fill: none;
  stroke: var(--drop);
  stroke-width: 2.4;
  stroke-dasharray: 2 1.6;
}
.its-change {
  font-weight: 650;
}
.turn text {
  font-size: 9.5px;
  fill: var(--allow);
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
  .panel {
    flex: none;
  }
  .scroll {
    flex: none;
    max-width: 100%;
  }
}
</style>
