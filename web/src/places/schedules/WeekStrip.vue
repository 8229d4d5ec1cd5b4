<script setup lang="ts">
/** A week of a schedule: when it is active, and what it excepts. A row for each day, or all days in one row. */
import { computed } from 'vue'
import { DAY_MINUTES, type Day, dayName, dayWords } from '@/places/schedules/week'

const props = defineProps<{ days: readonly Day[]; today?: string; flat?: boolean }>()

const HOURS = [0, 6, 12, 18, 24]
interface Run {
  kind: 'active' | 'excepted' | 'skipped' | 'repeated'
  style: { left: string; width: string }
}

function runs(day: Day): Run[] {
  return (['active', 'excepted', 'skipped', 'repeated'] as const).flatMap((kind) =>
    day[kind].map((span) => ({
      kind,
      style: {
        left: `${(100 * span.start) / DAY_MINUTES}%`,
        width: `${(100 * (span.end - span.start)) / DAY_MINUTES}%`,
      },
    })),
  )
}
const rows = computed(() =>
  props.days.map((day) => ({ day, name: dayName(day.date), words: dayWords(day), runs: runs(day) })),
)
const odd = computed(() => ({
  excepted: props.days.some((d) => d.excepted.length),
  skipped: props.days.some((d) => d.skipped.length),
  repeated: props.days.some((d) => d.repeated.length),
}))
</script>

<template>
  <div class="strip" :class="{ flat }" data-testid="week">
    <ol class="days">
      <li
        v-for="row in rows"
        :key="row.day.date"
        :class="{ today: row.day.date === today, beyond: row.day.beyond }"
        :title="row.words"
      >
        <span class="name small" aria-hidden="true">{{ flat ? row.name.slice(0, 3) : row.name }}</span>
        <span class="bar" role="img" :aria-label="row.words">
          <span v-for="(run, i) in row.runs" :key="i" class="run" :class="run.kind" :style="run.style" />
        </span>
      </li>
    </ol>
    <template v-if="!flat">
      <div class="hours small soft" aria-hidden="true">
        <span v-for="hour in HOURS" :key="hour" :style="{ left: `${(100 * hour) / 24}%` }">{{ hour }}</span>
      </div>
      <p class="key small soft">
        <span><i class="run active" /> active</span>
        <span v-if="odd.excepted"><i class="run excepted" /> excepted</span>
        <span v-if="odd.skipped"><i class="run skipped" /> skipped by the clock</span>
        <span v-if="odd.repeated"><i class="run repeated" /> shown twice</span>
      </p>
    </template>
  </div>
</template>

<style scoped>
.days {
  list-style: none;
  padding: 0;
}
li {
  display: grid;
  grid-template-columns: 76px 1fr;
  align-items: center;
  height: 18px;
}
.name {
  white-space: nowrap;
}
.today .name {
  font-weight: 650;
}
.bar {
  position: relative;
  height: 12px;
  background:
    linear-gradient(to right, var(--hair) 1px, transparent 1px) 0 0 / 25% 100%,
    var(--depth-1);
  border-right: 1px solid var(--hair);
}
.beyond .bar {
  background: repeating-linear-gradient(to right, var(--hair) 0 2px, transparent 2px 6px) 0 5px / 100% 2px
    no-repeat;
}
.run {
  position: absolute;
  top: 0;
  bottom: 0;
}
.active {
  background: var(--depth-5);
}
.excepted {
  border: 1px solid var(--warning);
  background: repeating-linear-gradient(135deg, var(--warning) 0 1.5px, var(--warning-ground) 1.5px 4.5px);
}
.skipped {
  top: 5px;
  bottom: 5px;
  background: repeating-linear-gradient(to right, var(--ink) 0 2px, transparent 2px 4px);
}
.repeated {
  top: -3px;
  bottom: auto;
  height: 5px;
  border-top: 1px solid var(--ink);
  border-bottom: 1px solid var(--ink);
}
.hours {
  position: relative;
  height: 15px;
  margin-left: 76px;
}
.hours span {
  position: absolute;
  transform: translateX(-50%);
}
.hours span:first-child {
  transform: none;
}
.hours span:last-child {
  transform: translateX(-100%);
}
.key {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 14px;
  margin-left: 76px;
}
.key i {
  display: inline-block;
  position: relative;
  width: 16px;
  height: 9px;
  margin-right: 3px;
  top: 0;
}
.key .skipped,
.key .repeated {
  height: 4px;
  top: -2px;
}
.flat .days {
  display: grid;
  grid-template-columns: repeat(7, 1fr);
  gap: 2px;
}
.flat li {
  display: block;
  height: auto;
}
.flat .bar {
  display: block;
  height: 10px;
  background: var(--depth-1);
}
.flat .beyond .bar {
  background: repeating-linear-gradient(to right, var(--hair) 0 2px, transparent 2px 6px) 0 4px / 100% 2px
    no-repeat;
}
.flat .name {
  display: block;
  font-size: 10.5px;
  line-height: 1.1;
  color: var(--soft);
}
.flat .today .name {
  color: var(--ink);
}
</style>
