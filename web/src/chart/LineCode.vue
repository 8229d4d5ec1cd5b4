<script setup lang="ts">
/**
 * A rule as a line: allow passes an open gate and arrives, drop ends in a dot before a closed gate,
 * reject turns back there, unanswered arrives and its way back ends in a dot, undecided is a broken line up to an outlined gate. Readable without colour.
 */
import { computed } from 'vue'
import type { Course } from '@/chart/courses'

const props = withDefaults(
  defineProps<{
    course: Course
    label?: string
    when?: string
    /** Its last date. */
    until?: string
    small?: boolean
    faint?: boolean
    mono?: boolean
  }>(),
  { label: '', when: undefined, until: undefined, small: false, faint: false, mono: false },
)

const WORDS = {
  allow: 'allowed',
  drop: 'dropped',
  reject: 'rejected',
  unanswered: 'arrives, unanswered',
  undecided: 'undecided',
}
const during = computed(() =>
  [props.when && `while ${props.when}`, props.until && `until ${props.until}`].filter(Boolean).join(' '),
)
const gate = computed(() => (props.small ? '60%' : '66%'))
const reach = computed(() => (props.small ? 5 : 8))
const height = computed(() => (props.small ? 16 : 24))
const middle = computed(() => height.value / 2)
</script>

<template>
  <span class="line" :class="[course, { faint, small }]">
    <span v-if="label" class="label" :class="{ raw: mono }">{{ label }}</span>
    <span v-if="during" class="when" :title="during">{{ during }}</span>
    <svg :height="height" width="100%" role="img" :aria-label="WORDS[course]" class="drawing">
      <template v-if="course === 'allow'">
        <line x1="0" :y1="middle" x2="100%" :y2="middle" class="stroke" />
        <svg x="100%" :y="middle" class="at">
          <path d="M-7 -4.5 L-1 0 L-7 4.5" class="stroke" />
        </svg>
        <svg :x="gate" :y="middle" class="at">
          <path
            :d="`M-3.5 ${-reach} V-3.5 M-3.5 3.5 V${reach} M3.5 ${-reach} V-3.5 M3.5 3.5 V${reach}`"
            class="stroke gate"
          />
        </svg>
      </template>
      <template v-else-if="course === 'drop'">
        <line x1="0" :y1="middle" :x2="gate" :y2="middle" class="stroke" />
        <line :x1="gate" :y1="middle" x2="100%" :y2="middle" class="beyond" />
        <svg :x="gate" :y="middle" class="at">
          <circle r="3.4" cx="-2" class="dot" />
          <path :d="`M5 ${-reach} V${reach} M10 ${-reach} V${reach}`" class="stroke gate" />
        </svg>
      </template>
      <template v-else-if="course === 'reject'">
        <line x1="0" :y1="middle - 4" :x2="gate" :y2="middle - 4" class="stroke" />
        <line x1="6" :y1="middle + 4" :x2="gate" :y2="middle + 4" class="stroke" />
        <line :x1="gate" :y1="middle" x2="100%" :y2="middle" class="beyond shifted" />
        <svg :x="gate" :y="middle" class="at">
          <path d="M0 -4 A4 4 0 0 1 0 4" class="stroke" />
          <path :d="`M8 ${-reach} V${reach} M13 ${-reach} V${reach}`" class="stroke gate" />
        </svg>
        <svg x="0" :y="middle + 4" class="at"><path d="M8 -4 L2 0 L8 4" class="stroke" /></svg>
      </template>
      <template v-else-if="course === 'unanswered'">
        <line x1="0" :y1="middle - 4" x2="100%" :y2="middle - 4" class="stroke" />
        <svg x="100%" :y="middle - 4" class="at"><path d="M-7 -4 L-1 0 L-7 4" class="stroke" /></svg>
        <line x1="34%" :y1="middle + 4" x2="100%" :y2="middle + 4" class="stroke short" />
        <line x1="0" :y1="middle + 4" x2="34%" :y2="middle + 4" class="beyond" />
        <svg x="34%" :y="middle + 4" class="at"><circle r="3" class="dot" /></svg>
      </template>
      <template v-else>
        <line x1="0" :y1="middle" :x2="gate" :y2="middle" class="stroke broken" />
        <svg :x="gate" :y="middle" class="at">
          <rect x="3" :y="-reach" width="7" :height="2 * reach" class="stroke outline" />
        </svg>
      </template>
    </svg>
  </span>
</template>

<style scoped>
.line {
  display: block;
  position: relative;
  min-width: 46px;
}
.when {
  position: absolute;
  left: 2px;
  top: calc(50% + 3px);
  max-width: 62%;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  font-size: 11.5px;
  line-height: 1.25;
  color: var(--soft);
}
.reject .when,
.unanswered .when {
  top: calc(50% + 7px);
}
.label {
  position: absolute;
  left: 2px;
  bottom: calc(50% + 4px);
  max-width: 60%;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  font-size: 12.5px;
  line-height: 1.2;
  color: var(--hue);
}
.drawing {
  display: block;
  overflow: visible;
}
.at {
  overflow: visible;
}
.allow {
  --hue: var(--allow);
}
.drop {
  --hue: var(--drop);
}
.reject {
  --hue: var(--reject);
}
.unanswered {
  --hue: var(--drop);
}
.undecided {
  --hue: var(--undecided);
}
.stroke {
  stroke: var(--hue);
  stroke-width: 2;
  fill: none;
}
.small .stroke {
  stroke-width: 1.8;
}
.dot {
  fill: var(--hue);
}
.broken {
  stroke-dasharray: 6 4;
}
.short {
  stroke-dasharray: 4 3;
}
.outline {
  stroke-width: 1.5;
}
.beyond {
  stroke: var(--hue);
  stroke-width: 1;
  stroke-dasharray: 1 5;
  opacity: 0.45;
}
.faint {
  opacity: 0.5;
}
</style>
