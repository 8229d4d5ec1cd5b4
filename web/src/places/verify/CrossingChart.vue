<script setup lang="ts">
/** The crossing chart, larger than its room: names stay in sight, and only crossings in sight are drawn. */
import { computed, nextTick, onBeforeUnmount, ref, watch } from 'vue'
import { water } from '@/places/ground/chart'
import { countOf, type Crossings, turnOf, turnPath } from '@/places/verify/crossings'

/** room: how wide it may be before it scrolls. */
const props = defineProps<{ chart: Crossings; room: number }>()
const cursor = defineModel<{ row: number; column: number }>('cursor', { required: true })
const emit = defineEmits<{ open: []; turnZone: [zone: string] }>()

const LABEL = 128
const HEAD = 104
const GAP = 10
const PITCH = { least: 15, most: 24 }
const pitch = computed(() => {
  const wide = (props.room - LABEL - GAP) / Math.max(1, props.chart.columns.length)
  return Math.min(PITCH.most, Math.max(PITCH.least, Math.floor(wide)))
})
const xOf = (column: number) =>
  LABEL + column * pitch.value + pitch.value / 2 + (column >= props.chart.rows.length ? GAP : 0)
const yOf = (row: number) => HEAD + row * pitch.value + pitch.value / 2
const width = computed(() => xOf(props.chart.columns.length - 1) + pitch.value)
const height = computed(() => yOf(props.chart.rows.length - 1) + pitch.value / 2 + 2)
/** Whatever lies inward of a band: tinted by how deep it goes. */
const inward = computed(() =>
  props.chart.bands.flatMap((row) =>
    props.chart.bands
      .filter((column) => (column.depth ?? 0) > (row.depth ?? 2))
      .map((column) => ({ row, column })),
  ),
)
const half = computed(() => pitch.value / 2)
function look(event: MouseEvent): void {
  const box = (event.currentTarget as SVGElement).getBoundingClientRect()
  const x = event.clientX - box.left - LABEL
  const row = Math.floor((event.clientY - box.top - HEAD) / pitch.value)
  const beyond = x > props.chart.rows.length * pitch.value
  const column = Math.floor((beyond ? x - GAP : x) / pitch.value)
  if (props.chart.rows[row] && props.chart.columns[column]) cursor.value = { row, column }
}
function go(event: KeyboardEvent): void {
  const step = { ArrowUp: [-1, 0], ArrowDown: [1, 0], ArrowLeft: [0, -1], ArrowRight: [0, 1] }[event.key]
  const { row, column } = cursor.value
  const last = { row: props.chart.rows.length - 1, column: props.chart.columns.length - 1 }
  const to = step
    ? { row: row + step[0]!, column: column + step[1]! }
    : event.key === 'Home'
      ? { row: event.ctrlKey ? 0 : row, column: 0 }
      : event.key === 'End'
        ? { row: event.ctrlKey ? last.row : row, column: last.column }
        : null
  if (event.key === 'Enter') return emit('open')
  if (event.key === 'z') return emit('turnZone', props.chart.rows[row]?.zone ?? '')
  if (!to) return
  event.preventDefault()
  cursor.value = {
    row: Math.min(Math.max(to.row, 0), last.row),
    column: Math.min(Math.max(to.column, 0), last.column),
  }
  void nextTick(show)
}
const sheet = ref<HTMLElement>()
const sight = ref({ left: 0, top: 0, width: 1200, height: 900 })
function scrolled(): void {
  const { scrollLeft: left, scrollTop: top, clientWidth: width, clientHeight: height } = sheet.value!
  sight.value = { left, top, width: width || 1200, height: height || 900 }
}
const watching = new ResizeObserver(scrolled)
watch(sheet, (now) => now && (watching.observe(now), scrolled()))
onBeforeUnmount(() => watching.disconnect())
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
const cellsInSight = computed(() => inSight(props.chart.cells))
const changesInSight = computed(() => inSight(props.chart.changes))
const mentionsInSight = computed(() => inSight(props.chart.mentions))
</script>

<template>
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
    <svg :width="width" :height="height" aria-hidden="true" @mousemove="look" @click="emit('open')">
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
        <path v-if="change.closes.length" class="ghost" :d="turnPath(half)" />
        <circle v-if="!change.opens.length && !change.closes.length" class="unsure" :r="half - 1" />
      </g>
      <circle
        v-for="{ key, one: mention, x, y } in mentionsInSight"
        :key="`m${key}`"
        :class="['ring', { bad: mention.bad.length }]"
        :cx="x"
        :cy="y"
        :r="half - 2"
      />
      <g
        v-for="{ key, one: cell, x, y } in cellsInSight"
        :key="key"
        :class="['turn', turnOf(cell)]"
        :transform="`translate(${x},${y})`"
      >
        <path :d="turnPath(half)" />
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
            @click.stop="emit('turnZone', line.zone)"
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
            @click.stop="emit('turnZone', line.zone)"
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
</template>

<style scoped src="@/places/verify/crossings.css"></style>
<style scoped>
.scroll {
  overflow: auto;
  min-width: 0;
  flex: 0 1 auto;
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
.names .itself {
  font-style: italic;
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
@media (max-width: 900px) {
  .scroll {
    flex: none;
    max-width: 100%;
  }
}
</style>
