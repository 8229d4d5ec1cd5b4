<script setup lang="ts">
/** A date, or a moment by a zone: written as 2026-11-27, stepped by the arrows, or taken from a month. */
import { computed, ref, useId, watch } from 'vue'
import { dateOf, local, read, weeksOf, zoneAt } from '@/ui/dates'

const props = withDefaults(
  defineProps<{
    label: string
    quiet?: boolean
    /** With the time of day. */
    time?: boolean
    /** Whose clock; this browser's if nothing is said. */
    zone?: string
  }>(),
  { quiet: false, time: false, zone: undefined },
)
/** `2026-11-27`, or `2026-11-27 14:05`; empty for none. */
const value = defineModel<string>({ required: true })
const id = useId()
const text = ref(value.value)
const open = ref(false)
watch(value, (now) => now === text.value || (text.value = now))

const at = computed(() => read(text.value, props.time))
const form = computed(() => (props.time ? '2026-11-27 14:05' : '2026-11-27'))
const wrong = computed(() =>
  text.value.trim() && !at.value
    ? `Write it as ${form.value}; this is no ${props.time ? 'moment' : 'date'}.`
    : '',
)
const shown = ref(new Date())
const weeks = computed(() => weeksOf(shown.value.getFullYear(), shown.value.getMonth()))
const monthOf = (day: Date) => `${day.toLocaleString('en', { month: 'long' })} ${day.getFullYear()}`
const month = computed(() => monthOf(shown.value))
const zoned = computed(() => (props.time ? (props.zone ?? zoneAt(at.value ?? new Date())) : ''))

function say(now: Date): void {
  text.value = props.time ? local(now) : dateOf(now)
  written()
}
/** Nothing half written leaves the field: it is a date, or none. */
function written(): void {
  if (at.value) value.value = props.time ? local(at.value) : dateOf(at.value)
  else if (!text.value.trim()) value.value = ''
}
function step(days: number): void {
  const from = at.value ?? new Date()
  say(
    new Date(from.getFullYear(), from.getMonth(), from.getDate() + days, from.getHours(), from.getMinutes()),
  )
}
function turn(months: number): void {
  shown.value = new Date(shown.value.getFullYear(), shown.value.getMonth() + months, 1)
}
const MONTH_PX = 250
/** Near the right edge the month opens to the left. */
const leftward = ref(false)
function toggle(event: Event): void {
  const field = (event.currentTarget as HTMLElement).closest('.date')
  leftward.value = field !== null && field.getBoundingClientRect().left + MONTH_PX > innerWidth
  shown.value = at.value ?? new Date()
  open.value = !open.value
}
function take(day: Date): void {
  const clock = at.value ?? new Date()
  say(new Date(day.getFullYear(), day.getMonth(), day.getDate(), clock.getHours(), clock.getMinutes()))
  open.value = false
}
</script>

<template>
  <span class="date" @keydown.esc="open && ($event.stopPropagation(), (open = false))">
    <label v-if="!quiet" class="ui-label" :for="id">{{ label }}</label>
    <span class="written">
      <input
        :id="id"
        v-model="text"
        class="plain-field"
        :class="{ time }"
        autocomplete="off"
        :placeholder="form"
        :aria-label="quiet ? label : undefined"
        :aria-invalid="!!wrong"
        :aria-describedby="wrong ? `${id}-wrong` : undefined"
        @input="written"
        @keydown.up.prevent="step(1)"
        @keydown.down.prevent="step(-1)"
      />
      <button type="button" class="link small" :aria-expanded="open" @click="toggle">month</button>
      <span v-if="zoned" class="soft small">{{ zoned }}</span>
    </span>
    <span v-if="wrong" :id="`${id}-wrong`" class="problem" role="alert">{{ wrong }}</span>
    <div v-if="open" class="month" :class="{ leftward }">
      <div class="turns">
        <button type="button" class="link" aria-label="the month before" @click="turn(-1)">←</button>
        <strong>{{ month }}</strong>
        <button type="button" class="link" aria-label="the month after" @click="turn(1)">→</button>
      </div>
      <table>
        <thead>
          <tr>
            <th v-for="day in weeks[0]" :key="day.getDay()" scope="col">
              {{ day.toLocaleString('en', { weekday: 'short' }).slice(0, 2) }}
            </th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="week in weeks" :key="dateOf(week[0]!)">
            <td v-for="day in week" :key="dateOf(day)">
              <button
                type="button"
                class="plain day"
                :class="{
                  other: day.getMonth() !== shown.getMonth(),
                  today: dateOf(day) === dateOf(new Date()),
                  on: at && dateOf(day) === dateOf(at),
                }"
                :aria-label="`${day.getDate()} ${monthOf(day)}`"
                @click="take(day)"
              >
                {{ day.getDate() }}
              </button>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
  </span>
</template>

<style scoped>
.date {
  position: relative;
  display: inline-flex;
  flex-direction: column;
  gap: 2px;
}
.written {
  display: inline-flex;
  gap: 8px;
  align-items: baseline;
}
input {
  width: 11ch;
}
input.time {
  width: 18ch;
}
.month {
  position: absolute;
  z-index: 20;
  top: 100%;
  left: 0;
  padding: 8px 10px;
  background: var(--sheet);
  border: 1px solid var(--ink);
  box-shadow: 0 4px 14px rgb(0 0 0 / 18%);
}
.month.leftward {
  left: auto;
  right: 0;
}
.turns {
  display: flex;
  justify-content: space-between;
  gap: 14px;
}
th {
  font-size: 12px;
  font-weight: 400;
  color: var(--soft);
}
.day {
  width: 28px;
  padding: 3px 0;
  text-align: center;
}
.day:hover {
  background: var(--depth-1);
}
.day.other {
  color: var(--soft);
}
.day.today {
  text-decoration: underline;
  text-underline-offset: 3px;
}
.day.on {
  background: var(--selected);
  font-weight: 650;
}
</style>
