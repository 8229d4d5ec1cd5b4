<script setup lang="ts">
/** When a rule is active: always, by one of the schedules, or at a time that is typed and becomes one. */
import { computed, nextTick, ref } from 'vue'
import { useNetworkEdits } from '@/api/networkEdits'
import { useSchedules, weekOf } from '@/api/schedules'
import { useAct } from '@/editing/act'
import { useFrame } from '@/frame/frame'
import ScheduleGlance from '@/places/schedules/ScheduleGlance.vue'
import ChoiceField from '@/ui/ChoiceField.vue'
import TextField from '@/ui/TextField.vue'

const props = defineProps<{ network: number; problems: readonly string[] }>()
const chosen = defineModel<string | null>({ required: true })
const { id, revision } = useFrame()
const { data: listed } = useSchedules(id, revision)
const edits = useNetworkEdits(id)
const { problem, problems: wrong, act } = useAct()

/** Stands for a time that is to be typed: no schedule can be called so. */
const TYPED = '\n'
const items = computed<{ title: string; value: string | null }[]>(() => [
  { title: 'always', value: null },
  ...(listed.value?.schedules ?? []).map((s) => ({ title: s.thing.name, value: s.thing.name })),
  { title: 'at a time you type…', value: TYPED },
])
const typing = ref(false)
const text = ref('')
const found = ref('')
const said = ref<string[]>([])
const shown = computed(() => [...said.value, ...wrong.value.map((p) => p.message)])
const root = ref<HTMLElement>()

async function choose(value: string | null): Promise<void> {
  found.value = ''
  typing.value = value === TYPED
  if (value !== TYPED) {
    chosen.value = value
    return
  }
  await nextTick()
  root.value?.querySelector('input')?.focus()
}

/** A schedule that is active at these very moments, or a new one that is called as it was typed. */
async function take(): Promise<void> {
  const words = text.value.trim().replace(/\s+/g, ' ')
  const windows = words.split(/\s*;\s*/).filter(Boolean)
  if (!windows.length) return
  const thing = { name: words, windows, except: [], first: '', last: '', description: '', accepted: [] }
  await act(async () => {
    const week = await weekOf(props.network, { schedule: thing, date: '' })
    said.value = week.problems.map((p) => p.message)
    if (said.value.length) return
    if (!week.alike) await edits.addThing.mutateAsync({ kind: 'schedules', thing, parent: 0 })
    found.value = week.alike ? `${week.alike} is active at these very moments.` : ''
    chosen.value = week.alike ?? words
    typing.value = false
    text.value = ''
  })
}
</script>

<template>
  <ChoiceField
    id="rule-when"
    label="When"
    :model-value="typing ? TYPED : chosen"
    :items="items"
    :problems="problems"
    @update:model-value="choose"
  />
  <!-- Not a form of its own: it stands inside the form of the rule. -->
  <div
    v-if="typing"
    ref="root"
    class="typed"
    @keydown.enter.stop.prevent="take"
    @keydown.esc.stop="choose(chosen)"
  >
    <TextField
      v-model="text"
      label="Weekly, in the network’s time; several parted by semicolons"
      placeholder="fri 20:00-mon 06:00"
      :problems="shown"
    />
    <p class="acts">
      <button type="button" class="link" @click="take">take it ↵</button>
      <button type="button" class="link soft" @click="choose(chosen)">not now</button>
    </p>
    <p v-if="problem && !shown.length" class="problem" role="alert">{{ problem }}</p>
  </div>
  <p v-if="found" class="soft small" role="status">{{ found }}</p>
  <ScheduleGlance v-if="chosen && !typing" :network="network" :name="chosen" />
</template>

<style scoped>
.typed {
  display: grid;
  gap: 6px;
}
.acts {
  display: flex;
  gap: 16px;
}
</style>
