<script setup lang="ts">
/** An empty network as one sheet: write or paste what is there; the chart forms beside it; it ends at one yes and one no. */
import { computed, onBeforeUnmount, onMounted, reactive, ref, shallowRef, watch } from 'vue'
import { Problem } from '@/api/client'
import { lookAtPlan, type PlanTold, useBegin } from '@/api/first'
import { giveUp, useKeptText } from '@/editing/unsaved'
import GroundChart from '@/places/ground/GroundChart.vue'
import { asUsual, besideLines, moved, NO_ANSWERS, numbered } from '@/places/standing/plan'
import FileField from '@/ui/FileField.vue'
import ChoiceField from '@/ui/ChoiceField.vue'
import ChoiceLine from '@/ui/ChoiceLine.vue'
import CheckBox from '@/ui/CheckBox.vue'
import { useFrame } from '@/frame/frame'

const PAUSE_MS = 200
const LINE_PX = 24
const EXAMPLE = `staff    10   10.9.10.0/24   workplaces
guests   20   10.9.20.0/24   visitors
files    10.9.10.20          # the old share`

const { id: network } = useFrame()
const text = useKeptText(`first ${network.value}`)
const answers = reactive(structuredClone(NO_ANSWERS))
const told = shallowRef<PlanTold | null>(null)
const reading = ref(false)
const failure = ref('')
let timer = 0
let asking: AbortController | undefined

async function look(): Promise<void> {
  asking?.abort()
  const mine = (asking = new AbortController())
  try {
    told.value = await lookAtPlan(network.value, text.value, answers, mine.signal)
    failure.value = ''
  } catch (error) {
    if (mine.signal.aborted) return
    if (!(error instanceof Problem)) throw error
    failure.value = error.detail
  } finally {
    if (mine === asking) reading.value = false
  }
}
watch(
  () => JSON.stringify([text.value, answers]),
  () => {
    reading.value = true
    clearTimeout(timer)
    timer = window.setTimeout(look, PAUSE_MS)
  },
)
void look()
onBeforeUnmount(() => {
  clearTimeout(timer)
  asking?.abort()
})

const lines = computed(() => besideLines(text.value, told.value))
const ground = computed(() => (told.value ? numbered(told.value.ground) : null))
const there = computed(() => (told.value?.ground.segments.length ?? 0) > 1)
const asked = computed(() => told.value?.asked ?? [])
const addresses = computed(() => asked.value.filter((one) => one.kind === 'address'))
const answered = computed(() => Object.keys(answers.addresses))
const bad = computed(() => (told.value?.lines ?? []).filter((line) => line.problem).length)
const wanted = computed(() => told.value?.wanted ?? [])
const ready = computed(
  () =>
    there.value &&
    !reading.value &&
    !bad.value &&
    !told.value!.problems.length &&
    wanted.value.every((w) => !w.problem),
)
const LETS = [
  { title: 'outward only', value: 'outward' as const },
  { title: 'everything', value: 'everything' as const },
  { title: 'nothing', value: 'nothing' as const },
]
const SERVES = ['name service', 'time', 'ping'] as const
/** From where the device is managed; as long as nobody says, its own services are open to all. */
const managers = computed(() => [
  { title: 'anywhere: nobody says', value: '' },
  ...(told.value?.ground.segments ?? [])
    .filter((s) => !s.thing.outside)
    .map((s) => ({ title: s.thing.name, value: s.thing.name })),
])
function serve(one: (typeof SERVES)[number], on: boolean): void {
  answers.serves = SERVES.filter((s) => (s === one ? on : answers.serves!.includes(s)))
}
function verdictOf(at: 0 | 1): string {
  const typed = [answers.must, answers.must_not]
  const index = at === 0 ? 0 : typed[0]!.trim() ? 1 : 0
  const one = typed[at]!.trim() ? wanted.value[index] : undefined
  if (!one) return ''
  if (one.problem) return one.problem
  if (one.verdict !== 'kept') return 'cannot be told yet: answer what is asked'
  return one.alone === 'kept' ? 'holds by itself' : 'holds: a rule is written for it'
}
function shift(at: number, by: -1 | 1): void {
  answers.order = moved(told.value!.zones, at, by)
}
async function read(file: File): Promise<void> {
  text.value = await file.text()
}

// What was understood scrolls with the lines.
const field = ref<HTMLTextAreaElement>()
const top = ref(0)
onMounted(() => field.value?.focus({ preventScroll: true }))

const begin = useBegin(network)
async function start(): Promise<void> {
  failure.value = ''
  try {
    await begin.mutateAsync({
      text: text.value,
      answers: JSON.parse(JSON.stringify(answers)),
      revision: told.value!.revision,
    })
    text.value = ''
    giveUp()
  } catch (error) {
    if (!(error instanceof Problem)) throw error
    failure.value = error.problems.length
      ? error.problems.map((p) => `${p.place}: ${p.message}`).join('; ')
      : error.detail
  }
}
</script>

<template>
  <div class="first">
    <header class="head">
      <h1>What is there?</h1>
      <span class="soft"
        >write or paste it as it comes: a plan, a sheet, what a device prints; or write it
        <router-link class="link" :to="{ name: 'ground', params: { network } }">thing by thing</router-link>
      </span>
      <FileField label="read a file" class="file" @file="read" />
    </header>
    <div class="sheet">
      <div class="written">
        <textarea
          ref="field"
          v-model="text"
          class="raw"
          wrap="off"
          spellcheck="false"
          aria-label="What is there"
          :placeholder="EXAMPLE"
          :style="{ lineHeight: `${LINE_PX}px` }"
          @scroll="top = field!.scrollTop"
        />
        <div class="understood" role="log" aria-label="What was understood" :class="{ stale: reading }">
          <div :style="{ transform: `translateY(${-top}px)` }">
            <p
              v-for="(line, at) in lines"
              :key="at"
              :class="{ problem: line.problem }"
              :style="{ height: `${LINE_PX}px`, lineHeight: `${LINE_PX}px` }"
              :title="line.problem || line.words"
            >
              {{ line.problem || line.words }}
            </p>
          </div>
        </div>
      </div>
      <div class="chart">
        <GroundChart v-if="ground && there" :ground="ground" :chosen="null" :lit="null" />
        <p v-else class="soft empty">
          The chart forms here. A segment is a name and a prefix, with its VLAN and zone if you have them;
          several addresses are a device, one is a host. What is not understood is told at its line.
        </p>
      </div>
    </div>
    <div v-if="there && told" class="rest">
      <section aria-label="Asked, because nothing says it">
        <h2>Asked, because nothing says it</h2>
        <div class="ask">
          <span class="soft">outermost first</span>
          <ol class="zones" aria-label="Zones, the outermost first">
            <li v-for="(zone, at) in told.zones" :key="zone">
              <button
                v-if="at"
                type="button"
                class="plain step"
                :aria-label="`${zone} farther out`"
                @click="shift(at, -1)"
              >
                ‹
              </button>
              {{ zone }}
            </li>
          </ol>
        </div>
        <label v-if="asked.some((a) => a.kind === 'device') || answers.device" class="ask">
          <span class="soft">what joins them</span>
          <input v-model="answers.device" class="line-field" :placeholder="told.device" />
        </label>
        <div v-if="addresses.length || answered.length" class="ask">
          <span class="soft">{{ told.device }}’s addresses</span>
          <span>
            <label
              v-for="name in [...new Set([...answered, ...addresses.map((a) => a.about)])]"
              :key="name"
              class="address"
            >
              {{ name }}
              <input
                v-model="answers.addresses[name]"
                class="line-field mono"
                :placeholder="addresses.find((a) => a.about === name)?.usual"
              />
            </label>
            <button
              v-if="addresses.length"
              type="button"
              class="link"
              @click="answers.addresses = asUsual(told, answers.addresses)"
            >
              take the first of each
            </button>
          </span>
        </div>
        <div class="ask">
          <span class="soft">towards the outside</span>
          <span>
            <input
              v-model="answers.uplink"
              class="line-field mono"
              placeholder="its address"
              aria-label="Address towards the outside"
            />
            <input
              v-model="answers.next_hop"
              class="line-field mono"
              placeholder="next hop"
              aria-label="Next hop"
            />
            <CheckBox v-model="answers.hides">hides what is inside</CheckBox>
          </span>
        </div>
        <div class="ask">
          <span class="soft">managed from</span>
          <span>
            <ChoiceField v-model="answers.managed_from" label="Managed from" :items="managers" quiet />
            <span v-if="answers.managed_from" class="serves">
              <span class="soft small">and answers inside:</span>
              <CheckBox
                v-for="one in SERVES"
                :key="one"
                :model-value="answers.serves!.includes(one)"
                @update:model-value="serve(one, $event)"
                >{{ one }}</CheckBox
              >
            </span>
          </span>
        </div>
        <div class="ask">
          <span class="soft">today it lets through</span>
          <ChoiceLine v-model="answers.lets" label="What it lets through" :items="LETS" />
        </div>
      </section>
      <section aria-label="Then, at once">
        <h2>Then, at once</h2>
        <div class="wish">
          <span class="soft">one thing that must work</span>
          <input
            v-model="answers.must"
            aria-label="one thing that must work"
            class="line-field wide"
            :placeholder="told.usual[0]"
          />
          <button
            v-if="!answers.must && told.usual[0]"
            type="button"
            class="link small"
            @click="answers.must = told.usual[0]!"
          >
            take it
          </button>
          <span class="small said" :class="{ problem: wanted[0]?.problem }">{{ verdictOf(0) }}</span>
        </div>
        <div class="wish">
          <span class="soft">one that must not</span>
          <input
            v-model="answers.must_not"
            aria-label="one that must not"
            class="line-field wide"
            :placeholder="told.usual[1]"
          />
          <button
            v-if="!answers.must_not && told.usual[1]"
            type="button"
            class="link small"
            @click="answers.must_not = told.usual[1]!"
          >
            take it
          </button>
          <span class="small said">{{ verdictOf(1) }}</span>
        </div>
        <p v-for="p in told.problems" :key="p.place + p.message" class="problem" role="alert">
          {{ p.place }}: {{ p.message }}
        </p>
        <p v-if="bad" class="problem">
          {{ bad === 1 ? 'One line is' : `${bad} lines are` }} not understood: mend
          {{ bad === 1 ? 'it' : 'them' }}, or put # before {{ bad === 1 ? 'it' : 'them' }}.
        </p>
        <div class="does">
          <v-btn color="primary" :disabled="!ready" :loading="begin.isPending.value" @click="start"
            >Begin with this</v-btn
          >
          <span class="soft small"
            >{{ answers.lets === 'everything' ? 'open to everybody' : 'closed inwards' }} · one undo takes it
            all back</span
          >
        </div>
      </section>
    </div>
    <p v-if="failure" class="problem failure" role="alert">{{ failure }}</p>
  </div>
</template>

<style scoped>
.serves {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 14px;
  align-items: baseline;
  margin-top: 4px;
}
.first {
  height: 100%;
  overflow-y: auto;
  padding: 13px 16px 24px;
}
.head {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 4px 12px;
  margin-bottom: 12px;
}
.head .file {
  margin-left: auto;
  padding: 2px 8px;
}
.sheet {
  display: grid;
  grid-template-columns: minmax(0, 1.25fr) minmax(0, 1fr);
  height: clamp(280px, 50vh, 460px);
  border: 1px solid var(--hair);
}
.written {
  display: grid;
  grid-template-columns: minmax(0, 1.5fr) minmax(0, 1fr);
  min-height: 0;
  background: var(--sheet);
  border-right: 1px solid var(--hair);
}
textarea.raw {
  width: 100%;
  height: 100%;
  padding: 8px 12px;
  resize: none;
  border: 0;
  background: none;
  color: inherit;
  font-size: 12.5px;
}
.understood {
  overflow: hidden;
  padding: 8px 10px 8px 12px;
  font-size: 12.5px;
  color: var(--soft);
}
.understood p {
  margin: 0;
  overflow: hidden;
  white-space: nowrap;
  text-overflow: ellipsis;
}
.understood .problem {
  color: var(--error);
}
.stale {
  opacity: 0.55;
}
.chart {
  min-width: 0;
  min-height: 0;
  overflow: auto;
}
.empty {
  padding: 24px;
  max-width: 420px;
}
.rest {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
  gap: 0 24px;
}
h2 {
  margin: 16px 0 6px;
}
.ask,
.wish {
  display: grid;
  grid-template-columns: 150px minmax(0, 1fr);
  gap: 4px 10px;
  align-items: baseline;
  padding: 4px 0;
}
.wish {
  grid-template-columns: 170px minmax(0, 1fr) auto;
}
.said {
  grid-column: 2 / -1;
  color: var(--allow);
}
.said.problem {
  color: var(--error);
}
.zones {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 12px;
  list-style: none;
  padding: 0;
  margin: 0;
}
.step {
  padding: 0 4px;
  color: var(--soft);
}
.address {
  display: inline-flex;
  gap: 6px;
  align-items: baseline;
  margin-right: 14px;
}
.line-field {
  width: 132px;
  padding: 2px 6px;
  font: inherit;
  color: inherit;
  background: var(--sheet);
  border: 1px solid var(--hair);
}
.line-field + .line-field {
  margin-left: 8px;
}
.line-field.mono {
  font-family: var(--mono, monospace);
  font-size: 13px;
}
.ask .link {
  min-height: 26px;
  line-height: 26px;
}
.ask :deep(input[type='checkbox']) {
  margin-block: 6px;
}
.line-field.wide {
  width: 100%;
}
.does {
  display: flex;
  gap: 14px;
  align-items: center;
  margin-top: 12px;
}
.failure {
  margin-top: 10px;
}
@media (max-width: 1000px) {
  .sheet,
  .rest {
    grid-template-columns: minmax(0, 1fr);
    height: auto;
  }
  .written {
    min-height: 260px;
  }
}
</style>
