<script setup lang="ts">
/** The whole list at a glance, dead and partly dead rules standing out; it is also the scroll bar. */
import { computed, onBeforeUnmount, onMounted, ref, watch } from 'vue'
import { useTheme } from 'vuetify'
import type { RuleRow } from '@/api/client'
import { type Level, shares, WORST } from '@/places/rules/shares'

const props = defineProps<{ rows: RuleRow[]; from: number; to: number }>()
const emit = defineEmits<{ go: [index: number] }>()
const theme = useTheme()
const canvas = ref<HTMLCanvasElement>()
const height = ref(400)
const WIDTH = 10
const CELL = 10
let observer: ResizeObserver | undefined

const levels = computed<Level[]>(() =>
  props.rows.map((row) => {
    if (!row.rule.enabled || row.decides === 'pending') return 0
    if (row.decides === 'none' || row.kind) return 4
    if (row.decides === 'undecided') return 3
    return row.decides === 'part' ? 1 : 2
  }),
)
const pitch = computed(() => Math.min(CELL, height.value / Math.max(1, props.rows.length)))

function draw(): void {
  const element = canvas.value
  const pen = element?.getContext('2d')
  if (!element || !pen) return
  const scale = devicePixelRatio || 1
  element.width = WIDTH * scale
  element.height = height.value * scale
  pen.scale(scale, scale)
  const token = (name: string) => getComputedStyle(element).getPropertyValue(name)
  const hues = [
    token('--hair'),
    token('--depth-3'),
    token('--depth-5'),
    token('--undecided'),
    token('--focus'),
  ]
  if (pitch.value < 2) return crowded(pen, hues)
  const gap = pitch.value >= 5 ? 2 : 0
  levels.value.forEach((own, index) => {
    pen.fillStyle = hues[own]!
    pen.fillRect(1, index * pitch.value, WIDTH - 2, Math.max(1, pitch.value - gap))
  })
}

/** Where many rows share a line of pixels it tells their shares, the worst first: one dead rule is seen, and half of them are a half. */
function crowded(pen: CanvasRenderingContext2D, hues: readonly string[]): void {
  const width = WIDTH - 2
  shares(levels.value, Math.round(height.value)).forEach((share, y) => {
    let x = 1
    for (const level of WORST) {
      const own = share[level]! && Math.max(level === 4 ? 2 : 1, Math.round(share[level]! * width))
      pen.fillStyle = hues[level]!
      pen.fillRect(x, y, Math.min(own, width + 1 - x), 1)
      x += own
    }
  })
}

function go(event: PointerEvent): void {
  if (event.type === 'pointermove' && !(event.buttons & 1)) return
  const top = canvas.value!.getBoundingClientRect().top
  const index = Math.floor((event.clientY - top) / pitch.value)
  emit('go', Math.min(Math.max(index, 0), props.rows.length - 1))
}

onMounted(() => {
  observer = new ResizeObserver(([entry]) => {
    height.value = entry!.contentRect.height
  })
  observer.observe(canvas.value!.parentElement!)
})
onBeforeUnmount(() => observer?.disconnect())
watch([levels, height, () => theme.global.name.value, canvas], draw, { flush: 'post', immediate: true })
</script>

<template>
  <div class="map" aria-hidden="true">
    <canvas
      ref="canvas"
      :style="{ width: `${WIDTH}px`, height: `${height}px` }"
      @pointerdown="go"
      @pointermove="go"
    />
    <div
      v-if="rows.length * pitch > 0 && to - from + 1 < rows.length"
      class="view"
      :style="{ top: `${from * pitch}px`, height: `${Math.max(6, (to - from + 1) * pitch)}px` }"
    />
  </div>
</template>

<style scoped>
.map {
  position: relative;
  width: 12px;
  height: 100%;
}
canvas {
  position: absolute;
  cursor: pointer;
}
.view {
  position: absolute;
  left: -1px;
  width: 12px;
  border: 1px solid var(--soft);
  pointer-events: none;
}
</style>
