<script setup lang="ts">
/** All segments at once: who reaches whom. Where lines only cross nothing works; where one turns, something does. */
import { computed, nextTick, onBeforeUnmount, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { useGround } from '@/api/ground'
import { useAllSegments, useReachChanges } from '@/api/allSegments'
import { useFrame } from '@/frame/frame'
import { water } from '@/places/ground/chart'
import {
  changeOf,
  countOf,
  crossingsOf,
  keyOf,
  segmentsOf,
  sentenceOf,
  turnOf,
} from '@/places/verify/crossings'
import { counted, quoted } from '@/words'

const LABEL = 128
const HEAD = 104
const GAP = 10
const PITCH = { least: 15, most: 24 }
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
  crossingsOf(ground.value!, told.value?.cells ?? [], changed.value?.pairs, {
    only: only.value && !!changed.value?.pairs.length,
    folded: folded.value,
  }),
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
const watching = new ResizeObserver(([entry]) => {
  if (entry!.target === frame.value) room.value = entry!.contentRect.width || room.value
  else scrolled()
})
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
watch([only, folded], () => (cursor.value = { row: 0, column: 0 }))
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
  if (event.key === 'z') return turnZone(ends.value.from?.zone)
  if (!to) return
  event.preventDefault()
  cursor.value = {
    row: Math.min(Math.max(to.row, 0), last.row),
    column: Math.min(Math.max(to.column, 0), last.column),
  }
  void nextTick(show)
}
/** What is in sight of a chart larger than its room: names stay, and only crossings in sight are drawn. */
const sheet = ref<HTMLElement>()
const sight = ref({ left: 0, top: 0, width: 1200, height: 900 })
function scrolled(): void {
  const { scrollLeft: left, scrollTop: top, clientWidth: width, clientHeight: height } = sheet.value!
  sight.value = { left, top, width: width || 1200, height: height || 900 }
}
watch(sheet, (now) => now && (watching.observe(now), scrolled()))
function show(): void {
  const there = sheet.value
  if (!there) return
  const { row, column } = cursor.value
  const into = (from: number, size: number, at: number, room: number) =>
    Math.max(Math.min(from, at - half.value - (size === 0 ? LABEL : HEAD)), at + half.value - room)
  there.scrollLeft = into(there.scrollLeft, 0, xOf(column), there.clientWidth)
  there.scrollTop = into(there.scrollTop, 1, yOf(row), there.clientHeight)
}
const inSight = <T,>(some: ReadonlyMap<string, T>) =>
  [...some].flatMap(([key, one]) => {
    const [row, column] = key.split(' ').map(Number) as [number, number]
    const [x, y, { left, top, width, height }] = [xOf(column), yOf(row), sight.value]
    const there = x > left && x < left + width + pitch.value && y > top && y < top + height + pitch.value
    return there ? [{ key, one, x, y }] : []
  })
const cellsInSight = computed(() => inSight(chart.value.cells))
const changesInSight = computed(() => inSight(chart.value.changes))
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
/** From where the device in the cursor's column is reached itself, the outermost first. */
const reachers = computed(() =>
  chart.value.rows.flatMap((line, row) => {
    const cell = chart.value.cells.get(keyOf(row, cursor.value.column))
    return cell ? [{ name: line.name, row, words: sentenceOf(cell) }] : []
  }),
)
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
      <div
        ref="sheet"
        class="scroll"
        tabindex="0"
        role="group"
        aria-label="Who reaches whom; the arrows go from pair to pair, Enter asks about one, z folds and unfolds its zone"
        aria-describedby="pair"
        @scroll.passive="scrolled"
        @keydown="go"
      >
        <svg :width="width" :height="height" aria-hidden="true" @mousemove="look" @click="open">
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
          <circle
            v-for="(_, row) in chart.rows"
            :key="`o${row}`"
            :cx="xOf(row)"
            :cy="yOf(row)"
            r="2"
            class="own"
          />
          <g
            v-for="{ key, one: change, x, y } in changesInSight"
            :key="`d${key}`"
            class="draft"
            :transform="`translate(${x},${y})`"
          >
            <circle v-if="change.opens.length" class="halo" :r="half" />
            <path v-if="change.closes.length" class="ghost" :d="turn(half)" />
            <circle v-if="!change.opens.length && !change.closes.length" class="unsure" :r="half - 1" />
          </g>
          <g
            v-for="{ key, one: cell, x, y } in cellsInSight"
            :key="key"
            :class="['turn', turnOf(cell)]"
            :transform="`translate(${x},${y})`"
          >
            <path :d="turn(half)" />
            <path v-if="turnOf(cell) === 'lost'" :d="`M${-half + 2},${1 - half} H${half - 2}`" />
            <text v-if="countOf(cell) && pitch > 16" :x="2" :y="half - 2">{{ countOf(cell) }}</text>
            <text v-if="cell.family" class="part" :x="2 - half" :y="half - 2">{{ cell.family }}</text>
            <path v-if="cell.at_times" class="part" :d="`M${1 - half},${half - 1} h5 v-5`" />
          </g>
          <g :transform="`translate(0,${sight.top})`">
            <rect class="ground" x="0" y="0" :width="width" :height="HEAD" />
            <rect
              v-for="(band, i) in chart.bands"
              :key="i"
              :x="LABEL + band.from * pitch"
              y="0"
              :width="band.count * pitch"
              :height="HEAD"
              :style="{ fill: band.depth === null ? 'none' : water(band.depth) }"
            />
            <g class="names">
              <text
                v-for="(line, column) in chart.columns"
                :key="`${line.itself}${line.name}`"
                :transform="`translate(${xOf(column) + 4},${HEAD - 5}) rotate(-90)`"
                :class="{ lit: column === cursor.column, itself: line.itself }"
                @click.stop="turnZone(line.zone)"
              >
                {{ line.name }}
              </text>
            </g>
          </g>
          <g :transform="`translate(${sight.left},0)`">
            <rect class="ground" x="0" :y="HEAD" :width="LABEL" :height="height" />
            <rect
              v-for="(band, i) in chart.bands"
              :key="i"
              :x="0"
              :y="HEAD + band.from * pitch"
              :width="LABEL"
              :height="band.count * pitch"
              :style="{ fill: band.depth === null ? 'none' : water(band.depth) }"
            />
            <g class="names">
              <text
                v-for="(line, row) in chart.rows"
                :key="line.name"
                :x="LABEL - 6"
                :y="yOf(row) + 4"
                text-anchor="end"
                :class="{ lit: row === cursor.row }"
                @click.stop="turnZone(line.zone)"
              >
                {{ line.name }}
              </text>
            </g>
          </g>
          <g :transform="`translate(${sight.left},${sight.top})`" class="names">
            <rect class="ground" x="0" y="0" :width="LABEL" :height="HEAD" />
            <text :x="LABEL - 6" y="16" text-anchor="end" class="lit">to →</text>
            <text :x="LABEL - 6" :y="HEAD - 6" text-anchor="end" class="lit">from ↓</text>
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
          <p v-else class="soft">
            nothing works{{ aside ? ', unless name service, time or ping does' : '' }}
          </p>
          <p v-if="itsChange" class="its-change">{{ changeOf(itsChange) }}</p>
        </div>
        <v-btn variant="outlined" @click="open">{{
          ends.from && ends.to && ends.from.members.length + ends.to.members.length > 2
            ? 'unfold ↵'
            : 'the question ↵'
        }}</v-btn>
        <p class="small files">
          take it as
          <a v-for="form in ['csv', 'json']" :key="form" :href="file(form)" download>{{
            form === 'csv' ? 'a table (CSV)' : 'JSON'
          }}</a>
        </p>
        <section v-if="ends.to?.itself" class="reachers" :aria-label="`Who reaches ${ends.to.name} itself`">
          <h3>who reaches {{ ends.to.name }} itself</h3>
          <ul v-if="reachers.length">
            <li v-for="one in reachers" :key="one.name">
              <button type="button" @click="cursor = { row: one.row, column: cursor.column }">
                {{ one.name }}</button><span class="soft"> {{ one.words }}</span>
            </li>
          </ul>
          <p v-else class="soft">nobody</p>
        </section>
        <ul class="key soft small">
          <li v-for="kind in ['all', 'some', 'ways', 'unknown', 'lost'] as const" :key="kind">
            <svg width="26" height="26" aria-hidden="true">
              <g :class="['turn', kind]" transform="translate(14,15)">
                <path :d="turn(11)" />
                <path v-if="kind === 'lost'" d="M-8,-10 H8" />
              </g>
            </svg>
            {{
              {
                all: 'everything',
                some: 'some, how many services',
                ways: 'by some ways only',
                unknown: 'nobody knows',
                lost: 'arrives, and is not answered',
              }[kind]
            }}
          </li>
          <li>
            <svg width="26" height="26" aria-hidden="true" class="turn some">
              <text class="part" x="4" y="20">6</text>
              <path class="part" d="M14,20 h6 v-6" />
            </svg>
            one family only; only at times
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
.reachers h3 {
  font-size: 13px;
  margin: 14px 0 2px;
}
.reachers ul {
  list-style: none;
  padding: 0;
  margin: 0 0 12px;
}
.reachers li {
  overflow-wrap: anywhere;
}
.reachers button {
  margin-right: 6px;
  font: inherit;
  font-weight: 650;
  color: inherit;
  background: none;
  border: 0;
  padding: 0;
  cursor: pointer;
  text-decoration: underline;
  text-underline-offset: 2px;
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
.names text {
  cursor: default;
}
.ground {
  fill: var(--paper);
}
.turn .part {
  stroke-width: 1.2;
  font-size: 8.5px;
}
progress {
  accent-color: var(--ink);
  vertical-align: middle;
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
.turn.lost path {
  stroke: var(--drop);
  stroke-width: 1.4;
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
