<script setup lang="ts">
/** The chart: depth bands, segments as plates, devices as locks in the contours, interfaces as the lines between. */
import { computed, ref } from 'vue'
import type { GroundOut } from '@/api/client'
import { chartOf, contour, water } from '@/places/ground/chart'

const props = defineProps<{ ground: GroundOut; chosen: number | null; lit: ReadonlySet<number> | null }>()
const emit = defineEmits<{ choose: [id: number] }>()

const STEPS = [0.5, 0.65, 0.8, 0.9, 1, 1.2, 1.5, 2]
const chart = computed(() => chartOf(props.ground))
const frame = ref<HTMLElement>()
/** 0 is fitted to the width there is. */
const zoom = ref(0)

function step(by: number): void {
  const wide = frame.value?.clientWidth ?? chart.value.width
  const now = zoom.value || Math.min(1, wide / chart.value.width)
  zoom.value = (by > 0 ? STEPS.find((s) => s > now + 0.01) : STEPS.findLast((s) => s < now - 0.01)) ?? now
}
function wheel(event: WheelEvent): void {
  if (!event.ctrlKey) return
  event.preventDefault()
  step(-event.deltaY)
}
function dim(...ids: number[]): boolean {
  return props.lit !== null && !ids.some((id) => props.lit!.has(id))
}
const last = computed(() => Math.max(1, chart.value.bands.length - 1))
</script>

<template>
  <div class="chart">
    <div class="tools" role="toolbar" aria-label="Chart">
      <button class="plain" aria-label="Nearer" @click="step(1)">+</button>
      <button class="plain" aria-label="Farther" @click="step(-1)">−</button>
      <button class="plain small" @click="zoom = 0">fit</button>
    </div>
    <div ref="frame" class="frame" @wheel="wheel">
      <svg
        :viewBox="`0 0 ${chart.width} ${chart.height}`"
        :style="
          zoom ? { width: `${chart.width * zoom}px` } : { width: '100%', maxWidth: `${chart.width * 1.25}px` }
        "
        role="group"
        aria-label="Chart of the ground"
      >
        <g v-for="(band, i) in chart.bands" :key="band.x" aria-hidden="true">
          <path
            v-if="i"
            :d="`${contour(band.x, chart.height)} L${chart.width},${chart.height + 140} L${chart.width},0 Z`"
            :style="{ fill: water(i / last) }"
            class="water"
          />
          <text class="zone" :x="band.x + 14" y="22">{{ band.names[0] }}</text>
          <text v-if="band.names.length > 1" class="zone" :x="band.x + 14" y="37">
            {{ band.names.length > 2 ? `and ${band.names.length - 1} more` : band.names[1] }}
          </text>
          <text class="depth" :x="band.x + 14" :y="band.names.length > 1 ? 51 : 37">
            {{ band.depth === null ? '' : `depth ${band.depth}` }}
          </text>
        </g>
        <text v-if="chart.adrift !== null" class="depth" x="14" :y="chart.adrift + 12">on no device</text>
        <g
          v-for="course in chart.courses"
          :key="course.id"
          class="course"
          :class="{
            on: chosen === course.id || chosen === course.lock || chosen === course.plate,
            dim: dim(course.id, course.lock, course.plate),
          }"
          @click="emit('choose', course.id)"
        >
          <title>{{ course.title }}</title>
          <path :d="course.path" class="grip" />
          <path :d="course.path" class="line" />
          <g
            v-if="course.gate"
            :transform="`translate(${course.gate.x},${course.gate.y}) rotate(${course.gate.angle})`"
          >
            <path d="M-3,-7 V-2.5 M-3,7 V2.5 M3,-7 V-2.5 M3,7 V2.5" class="gate" />
          </g>
        </g>
        <g
          v-for="plate in chart.plates"
          :key="plate.id"
          class="plate"
          :class="{ on: chosen === plate.id, dim: dim(plate.id), outside: plate.outside }"
          role="button"
          tabindex="0"
          :aria-label="`segment ${plate.name} ${plate.line} ${plate.tag ?? ''}`"
          :aria-pressed="chosen === plate.id"
          :transform="`translate(${plate.x},${plate.y})`"
          @click="emit('choose', plate.id)"
          @keydown.enter.prevent="emit('choose', plate.id)"
          @keydown.space.prevent="emit('choose', plate.id)"
        >
          <rect :width="plate.w" :height="plate.h" rx="2" />
          <path :d="`M0,1.5 H${plate.w}`" class="brim" />
          <text class="name" x="8" y="18">{{ plate.name }}</text>
          {{ ' ' }}
          <text class="line" x="8" y="33">{{ plate.line }}</text>
          {{ ' ' }}
          <text v-if="plate.tag" class="tag" :x="plate.w" y="-4">{{ plate.tag }}</text>
        </g>
        <g
          v-for="lock in chart.locks"
          :key="lock.id"
          class="lock"
          :class="{ on: chosen === lock.id, dim: dim(lock.id) }"
          role="button"
          tabindex="0"
          :aria-label="`device ${lock.name} ${lock.line} ${lock.tag}`.trim()"
          :aria-pressed="chosen === lock.id"
          :transform="`translate(${lock.x},${lock.y})`"
          @click="emit('choose', lock.id)"
          @keydown.enter.prevent="emit('choose', lock.id)"
          @keydown.space.prevent="emit('choose', lock.id)"
        >
          <rect :width="lock.w" :height="lock.h" rx="1" />
          <path :d="`M9,0 V${lock.h} M${lock.w - 9},0 V${lock.h}`" class="leaf" />
          <text class="name" :x="lock.w / 2" y="17">{{ lock.name }}</text>
          {{ ' ' }}
          <text class="line" :x="lock.w / 2" y="31">{{ lock.line }}</text>
          {{ ' ' }}
          <text v-if="lock.tag" class="line" :x="lock.w / 2" y="44">{{ lock.tag }}</text>
        </g>
      </svg>
    </div>
  </div>
</template>

<style scoped>
.chart {
  position: relative;
  min-height: 0;
  min-width: 0;
}
.frame {
  height: 100%;
  overflow: auto;
  background: var(--paper);
}
.tools {
  position: absolute;
  right: 18px;
  bottom: 14px;
  z-index: 2;
  display: flex;
  gap: 2px;
  background: var(--sheet);
  border: 1px solid var(--hair);
}
.tools button {
  min-width: 28px;
  padding: 3px 8px;
}
svg {
  display: block;
  min-height: 100%;
}
.depth,
.tag {
  font-family: var(--mono);
  font-size: 10.5px;
  fill: var(--soft);
}
.tag {
  text-anchor: end;
}
.course {
  cursor: pointer;
}
.course path {
  fill: none;
}
.course .line {
  stroke: var(--soft);
  stroke-width: 1;
  opacity: 0.75;
}
.course .grip {
  stroke: transparent;
  stroke-width: 9;
}
.course .gate {
  stroke: var(--allow);
  stroke-width: 1.6;
}
.course:hover .line {
  stroke-width: 2;
}
.course.on .line {
  stroke: var(--allow);
  stroke-width: 2.4;
  opacity: 1;
}
.plate.outside rect {
  stroke-dasharray: 4 3;
}
.plate .name {
  font-size: 12.5px;
  font-weight: 650;
}
.plate.on rect {
  fill: var(--selected);
  stroke: var(--focus);
  stroke-width: 2;
}
.lock .name {
  font-size: 12.5px;
  font-weight: 650;
}
.lock .line {
  font-size: 10.5px;
  fill: var(--band-soft);
}
.lock.on rect {
  stroke: var(--focus);
  stroke-width: 2.5;
}
.dim {
  opacity: 0.28;
}
</style>

<style scoped src="@/chart/ground.css"></style>
