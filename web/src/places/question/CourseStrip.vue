<script setup lang="ts">
/** A flow's way as a strip of the chart: from who asks to who is asked, the way of the answer below it, the places numbered. */
import { computed, onBeforeUnmount, onMounted, ref } from 'vue'
import type { GroundOut, PartOut } from '@/api/client'
import { COURSE_OF_RESULT } from '@/chart/courses'
import { contour, water } from '@/places/ground/chart'
import { LOCK_W, PLATE_W, arrivedIn, crossings, marksOf, sameWay, stripOf } from '@/places/question/course'

const HEIGHT = 150
const LINE = 76
const BACK = 9

const props = withDefaults(defineProps<{ ground: GroundOut; part: PartOut; way?: 'there' | 'back' }>(), {
  way: 'there',
})
const emit = defineEmits<{ choose: [id: number] }>()

const frame = ref<HTMLElement>()
const room = ref(1080)
const watching = new ResizeObserver(([entry]) => (room.value = entry!.contentRect.width || room.value))
onMounted(() => watching.observe(frame.value!))
onBeforeUnmount(() => watching.disconnect())
const strip = computed(() => stripOf(props.ground, props.part, props.way, room.value))
const marks = computed(() => (props.way === 'there' ? marksOf(strip.value, props.part) : []))
const arrived = computed(() => arrivedIn(props.part))
const middle = (leg: { x: number; w: number }) => leg.x + leg.w / 2
const first = computed(() => {
  const leg = strip.value.legs[0]!
  return leg.name ? middle(leg) + PLATE_W / 2 : strip.value.locks[0]!.x
})
const target = computed(() => {
  const leg = strip.value.legs.at(-1)!
  return leg.name ? middle(leg) - PLATE_W / 2 : (strip.value.locks.at(-1)?.x ?? middle(leg))
})
/** Where the line ends: at who is asked, or where it is stopped. */
const end = computed(() => {
  if (arrived.value) return target.value
  const stop = marks.value.at(-1)
  const lock = strip.value.locks.at(-1)
  if (stop?.stops && stop.beside) return stop.x - 8
  return lock ? lock.x - LOCK_W / 2 - 4 : first.value
})
/** How far the answer comes, if its way is the same. */
const back = computed(() => {
  if (props.way === 'back') return { from: target.value, to: lostAt.value }
  const names = crossings(props.part.course.back)
  return names.length && sameWay(props.part) ? { from: target.value, to: lostAt.value } : null
})
const lostAt = computed(() => {
  if (props.part.result === 'delivered') return first.value
  const last = crossings(props.part.course.back).at(-1)
  const lock = strip.value.locks.find((l) => l.name === last?.device)
  return lock ? lock.x + LOCK_W / 2 + 6 : first.value
})

const label = computed(() => {
  const names = strip.value.locks.map((l) => l.name).join(', then ')
  return `The way ${props.way === 'there' ? '' : 'of the answer, from right to left, '}by ${names}`
})
</script>

<template>
  <div ref="frame" class="strip">
    <svg
      :viewBox="`0 0 ${strip.width} ${HEIGHT}`"
      :width="strip.width"
      :height="HEIGHT"
      role="group"
      :aria-label="label"
    >
      <g v-for="(leg, i) in strip.legs" :key="i" aria-hidden="true">
        <path
          :d="`${contour(leg.x - (i ? 0 : 20), HEIGHT)} L${strip.width},${HEIGHT + 140} L${strip.width},0 Z`"
          :style="{ fill: water(leg.depth) }"
          class="water"
        />
        <text class="zone" :x="leg.x + 16" y="24">{{ leg.zone }}</text>
      </g>
      <g :class="['way', COURSE_OF_RESULT[part.result]]" aria-hidden="true">
        <template v-if="way === 'there'">
          <path v-if="!arrived" :d="`M${end},${LINE} H${target}`" class="beyond" />
          <path :d="`M${first},${LINE} H${end}`" class="there" />
          <path
            v-if="arrived"
            :d="`M${end - 8},${LINE - 5} L${end - 1},${LINE} L${end - 8},${LINE + 5}`"
            class="tip"
          />
        </template>
        <template v-if="back">
          <path :d="`M${back.from},${LINE + BACK} H${back.to}`" class="back" />
          <circle v-if="part.result !== 'delivered'" :cx="back.to" :cy="LINE + BACK" r="3.6" class="dot" />
        </template>
        <g
          v-for="mark in marks.filter((m) => m.beside)"
          :key="mark.number"
          :transform="`translate(${mark.x},${LINE})`"
        >
          <path
            :d="mark.stops ? 'M-2,-10 V10 M3,-10 V10' : 'M-3,-10 V-4 M-3,4 V10 M3,-10 V-4 M3,4 V10'"
            :class="['gate', { shut: mark.stops }]"
          />
        </g>
        <circle v-if="!arrived" :cx="end" :cy="LINE" r="4" class="dot" />
      </g>
      <g
        v-for="(leg, i) in strip.legs.filter((l) => l.name)"
        :key="`${i} ${leg.name}`"
        :class="['plate', { beyond: leg.beyond }]"
        role="button"
        tabindex="0"
        :aria-label="`segment ${leg.name} ${leg.line}`"
        :transform="`translate(${middle(leg) - PLATE_W / 2},${LINE - 21})`"
        @click="leg.id !== null && emit('choose', leg.id)"
        @keydown.enter.prevent="leg.id !== null && emit('choose', leg.id)"
      >
        <rect :width="PLATE_W" height="42" rx="2" />
        <path :d="`M0,1.5 H${PLATE_W}`" class="brim" />
        <text class="name" x="8" y="18">{{ leg.name }}</text>
        {{ ' ' }}
        <text class="line" x="8" y="33">{{ leg.line }}</text>
      </g>
      <g
        v-for="(lock, i) in strip.locks"
        :key="`${i} ${lock.name}`"
        class="lock"
        role="button"
        tabindex="0"
        :aria-label="`device ${lock.name}`"
        :transform="`translate(${lock.x - LOCK_W / 2},${LINE - 17})`"
        @click="lock.id !== null && emit('choose', lock.id)"
        @keydown.enter.prevent="lock.id !== null && emit('choose', lock.id)"
      >
        <rect :width="LOCK_W" height="34" rx="1" />
        <path :d="`M8,0 V34 M${LOCK_W - 8},0 V34`" class="leaf" />
        <text class="name" :x="LOCK_W / 2" y="21">{{ lock.name }}</text>
      </g>
      <g
        v-for="mark in marks"
        :key="mark.number"
        :class="['mark', { stops: mark.stops }]"
        :transform="`translate(${mark.x},${LINE + 36})`"
        aria-hidden="true"
      >
        <circle r="9.5" />
        <text y="4">{{ mark.number }}</text>
      </g>
    </svg>
  </div>
</template>

<style scoped>
.strip {
  overflow-x: auto;
  overflow-y: hidden;
}
svg {
  display: block;
}
.way {
  --hue: var(--allow);
  fill: none;
}
.way.undecided {
  --hue: var(--undecided);
}
.there,
.tip,
.gate {
  stroke: var(--hue);
  stroke-width: 2.6;
}
.gate {
  stroke-width: 1.8;
}
.gate.shut {
  stroke: var(--drop);
}
.undecided .there {
  stroke-dasharray: 7 5;
}
.back {
  stroke: var(--soft);
  stroke-width: 1.4;
  stroke-dasharray: 5 4;
}
.unanswered .back {
  stroke: var(--drop);
}
.dot {
  fill: var(--drop);
}
.undecided .dot {
  fill: var(--undecided);
}
.beyond {
  stroke: var(--drop);
  stroke-width: 1.2;
  stroke-dasharray: 1 5;
}
.plate.beyond rect {
  stroke-dasharray: 3 3;
}
.plate.beyond {
  opacity: 0.75;
}
.name {
  font-size: 12.5px;
  font-weight: 650;
}
.mark circle {
  fill: var(--sheet);
  stroke: var(--allow);
  stroke-width: 1.6;
}
.mark text {
  font: 650 11px var(--sans);
  text-anchor: middle;
  fill: var(--allow);
}
.mark.stops circle {
  stroke: var(--drop);
}
.mark.stops text {
  fill: var(--drop);
}
</style>

<style scoped src="@/chart/ground.css"></style>
