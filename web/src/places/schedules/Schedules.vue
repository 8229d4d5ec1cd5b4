<script setup lang="ts">
/** Schedules: when is what active, this week and now? They stand among the names, for rules refer to them alike. */
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { Problem, type Schedule } from '@/api/client'
import { useNetworkEdits } from '@/api/networkEdits'
import { useSchedules, useWeeks } from '@/api/schedules'
import NameKinds from '@/places/names/NameKinds.vue'
import ScheduleEditor from '@/places/schedules/ScheduleEditor.vue'
import WeekStrip from '@/places/schedules/WeekStrip.vue'
import { usesOf } from '@/places/names/names'
import { counted } from '@/words'
import { nowWords } from '@/places/schedules/week'
import { useFrame } from '@/frame/frame'
import { useHeld } from '@/editing/held'
import { useKeys } from '@/ui/keys'
import { walkKeys } from '@/ui/longList'
import ChoiceField from '@/ui/ChoiceField.vue'
import { useSession } from '@/api/session'
import { giveUp, leftAt, mayLeave, unsaved } from '@/editing/unsaved'

const { id: network, revision } = useFrame()
const session = useSession()
const route = useRoute()
const router = useRouter()
const edits = useNetworkEdits(network)
const { data: listed, error } = useSchedules(network, revision)
const schedules = computed(() => listed.value?.schedules ?? [])
const { data: weeks } = useWeeks(network, revision, schedules)

const writable = computed(() => session.writes)
const chosen = computed(() => (route.params.schedule ? Number(route.params.schedule) : null))
const { shown: line, gone } = useHeld(
  () => schedules.value.find((s) => s.id === chosen.value),
  () => chosen.value,
)
// What was being added when the page was last loaded.
const adding = ref(leftAt(`schedule ${network.value} 0`) !== null)

async function choose(id: number | null): Promise<void> {
  if (!(await mayLeave())) return
  adding.value = false
  await router.replace({
    name: 'schedules',
    params: { network: network.value, schedule: id ?? '' },
    query: route.query,
  })
}
async function add(): Promise<void> {
  if (!(await mayLeave())) return
  adding.value = true
}
async function save(thing: Schedule, ver: number): Promise<void> {
  if (adding.value || gone.value) {
    const made = await edits.addThing.mutateAsync({ kind: 'schedules', thing, parent: 0 })
    giveUp()
    await choose(made.id ?? null)
  } else await edits.changeThing.mutateAsync({ kind: 'schedules', id: chosen.value!, ver, thing })
}
async function remove(ver: number): Promise<void> {
  await edits.deleteThing.mutateAsync({ id: chosen.value!, ver })
  giveUp()
  await choose(null)
}

// The clock that all of them go by.
const zone = ref<string | null>(null)
const refused = ref('')
async function setClock(): Promise<void> {
  const clock = listed.value!.clock
  refused.value = ''
  try {
    await edits.changeThing.mutateAsync({
      kind: 'clock',
      id: clock.id,
      ver: clock.ver,
      thing: { ...clock.thing, time_zone: zone.value!.trim() },
    })
    zone.value = null
  } catch (error) {
    if (!(error instanceof Problem)) throw error
    refused.value = error.problems[0]?.message ?? error.detail
  }
}
const zones = Intl.supportedValuesOf('timeZone')

const at = computed(() => schedules.value.findIndex((s) => s.id === chosen.value))
const free = () => !unsaved()
useKeys('Among the schedules', [
  ...walkKeys('schedule', {
    count: () => schedules.value.length,
    at: () => at.value,
    go: (index) => schedules.value[index] && choose(schedules.value[index].id),
    when: () => free() && schedules.value.length > 0,
  }),
  { on: ['n'], says: 'a new one', when: () => free() && writable.value, act: add },
  { on: ['Escape'], says: 'choose none', act: () => choose(null) },
])
</script>

<template>
  <div class="schedules" :class="{ panelled: adding || line }">
    <header class="named-head">
      <h1>Names</h1>
      <span class="soft">{{ counted(schedules.length, 'schedule') }}</span>
      <span class="spring" />
      <button v-if="writable" class="plain soft" @click="add">add schedule <kbd>n</kbd></button>
    </header>
    <NameKinds kind="schedules" />
    <form v-if="listed" class="clock small" @submit.prevent="setClock">
      <template v-if="zone === null">
        <span
          >The clock in {{ listed.clock.thing.time_zone }} shows <strong>{{ listed.now }}</strong></span
        >
        <button
          v-if="writable"
          type="button"
          class="link"
          @click="zone = listed.clock.thing.time_zone ?? 'UTC'"
        >
          another time zone
        </button>
      </template>
      <template v-else>
        <ChoiceField v-model="zone" label="Time zone" quiet inline search :items="zones" />
        <button type="submit" class="link">set</button>
        <button type="button" class="link" @click="((zone = null), (refused = ''))">cancel</button>
        <span v-if="refused" class="problem" role="alert">{{ refused }}</span>
        <span v-else class="soft">Windows keep their times; the moments they mean shift.</span>
      </template>
    </form>
    <div class="named-list" role="grid" aria-label="Schedules" :aria-rowcount="schedules.length">
      <div
        v-for="(schedule, index) in schedules"
        :key="schedule.id"
        class="row named-row"
        role="row"
        :class="{ selected: schedule.id === chosen }"
        :aria-selected="schedule.id === chosen"
        :tabindex="schedule.id === chosen || (chosen === null && index === 0) ? 0 : -1"
        @click="choose(schedule.id)"
      >
        <span role="gridcell" class="naming">
          <span class="called">{{ schedule.thing.name }}</span>
          <span class="soft small about">{{ schedule.thing.description }}</span>
        </span>
        <span role="gridcell" class="small when">
          <span>{{ schedule.thing.windows.join(', ') }}</span>
          <span v-if="schedule.thing.except?.length" class="soft"
            >except {{ schedule.thing.except.join(', ') }}</span
          >
          <span v-if="schedule.thing.first || schedule.thing.last" class="soft">{{
            [
              schedule.thing.first && `from ${schedule.thing.first}`,
              schedule.thing.last && `to ${schedule.thing.last}`,
            ]
              .filter(Boolean)
              .join(' ')
          }}</span>
        </span>
        <span role="gridcell" class="week">
          <WeekStrip
            v-if="weeks?.get(schedule.id)"
            :days="weeks.get(schedule.id)!.days"
            :today="weeks.get(schedule.id)!.today"
            flat
          />
        </span>
        <span role="gridcell" class="small now" :class="schedule.over ? 'warning' : 'soft'">{{
          nowWords(schedule)
        }}</span>
        <span role="gridcell" class="small soft used">{{ usesOf(schedule.used.length) || 'unused' }}</span>
      </div>
      <p v-if="listed && !schedules.length" class="empty soft">
        No schedules yet. A rule with one is active at its moments only, such as while a sailing is boarding.
      </p>
    </div>
    <aside v-if="adding || line" class="named-panel" aria-label="Schedule">
      <ScheduleEditor
        :key="adding ? 'new' : line!.id"
        :network="network"
        :line="adding ? null : line"
        :zone="listed?.clock.thing.time_zone ?? ''"
        :writable="writable"
        :gone="gone && !adding"
        :save="save"
        :remove="remove"
        @close="choose(adding ? chosen : null)"
      />
    </aside>
    <p v-if="error" class="problem empty" role="alert">{{ error.message }}</p>
  </div>
</template>

<style scoped>
.schedules {
  height: 100%;
  display: grid;
  grid-template: auto auto auto 1fr / minmax(0, 1fr);
}
.panelled {
  grid-template-columns: minmax(0, 1fr) 372px;
}
@media (max-width: 859px) {
  .schedules.panelled {
    grid-template: auto auto auto minmax(0, 1fr) minmax(0, 1.5fr) / minmax(0, 1fr);
  }
}
.spring {
  flex: 1;
}
.clock {
  display: flex;
  gap: 12px;
  align-items: baseline;
  padding: 9px 16px 8px;
  border-bottom: 1px solid var(--hair);
}
.clock input {
  padding: 2px 6px;
  font: inherit;
  color: inherit;
  background: var(--sheet);
  border: 1px solid var(--hair);
}
.row {
  grid-template-columns:
    minmax(110px, 1fr) minmax(110px, 1.1fr) minmax(150px, 1.3fr) minmax(96px, 0.8fr)
    50px;
  gap: 14px;
  min-height: 58px;
  padding-block: 6px;
}
.panelled .now,
.panelled .used {
  display: none;
}
.panelled .row {
  grid-template-columns: minmax(110px, 1fr) minmax(110px, 1.1fr) minmax(150px, 1.3fr);
}
.naming,
.when {
  display: flex;
  flex-direction: column;
  min-width: 0;
}
.about {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.used {
  text-align: right;
}
.empty {
  padding: 24px 16px;
}
</style>
