<script setup lang="ts">
/** What to try in the network itself, on paper or here, and what was seen: the half that must not work as well. */
import { computed, nextTick, ref } from 'vue'
import { Problem } from '@/api/client'
import { useSession } from '@/api/session'
import { useSee, useTrials } from '@/api/trials'
import LineCode from '@/chart/LineCode.vue'
import { useFrame } from '@/frame/frame'
import { type Line, groupsOf, isOtherwise, mustBe, others, progress } from '@/places/verify/trying'
import CheckBox from '@/ui/CheckBox.vue'
import { moment } from '@/ui/dates'
import { useKeys } from '@/ui/keys'
import { walkKeys } from '@/ui/longList'
import { counted, figure } from '@/words'

const { id: network, revision } = useFrame()
const session = useSession()
const version = ref('')
const { data, error, isPending } = useTrials(network, revision, version)
const see = useSee(network)

const untried = ref(false)
const groups = computed(() => (data.value ? groupsOf(data.value) : []))
const shown = computed(() =>
  untried.value
    ? groups.value
        .map((g) => ({ ...g, lines: g.lines.filter((l) => !l.seen || l.before) }))
        .filter((g) => g.lines.length)
    : groups.value,
)
const lines = computed(() => shown.value.flatMap((g) => g.lines))
const gone = computed(() => (data.value ? others(data.value) : []))
const writable = computed(() => session.writes)
const ofDraft = computed(() => data.value?.version === 'draft')

const chosen = ref(0)
const at = computed(() => lines.value.findIndex((l) => l.number === chosen.value))
async function choose(index: number): Promise<void> {
  const line = lines.value[index]
  if (!line) return
  chosen.value = line.number
  await nextTick()
  document.querySelector<HTMLElement>(`[data-trial="${line.number}"]`)?.focus()
}

const failure = ref('')
async function say(line: Line, worked: boolean | null, note = line.seen?.note ?? ''): Promise<void> {
  failure.value = ''
  try {
    await see.mutateAsync({
      packet: line.trial.packet,
      about: line.about,
      worked,
      told: line.trial.works,
      note: worked === null ? '' : note,
    })
  } catch (e) {
    if (!(e instanceof Problem)) throw e
    failure.value = `What you saw of ${line.number} was not kept: ${e.detail}`
  }
}
function noted(line: Line, text: string): void {
  if (line.seen && text.trim() !== line.seen.note) void say(line, line.seen.worked, text)
}
const now = () => lines.value[at.value]
const may = () => writable.value && at.value >= 0
useKeys('To try', [
  ...walkKeys('trial', {
    count: () => lines.value.length,
    at: () => at.value,
    go: choose,
    when: () => lines.value.length > 0,
  }),
  { on: ['w'], says: 'it worked', when: may, act: () => say(now()!, true) },
  { on: ['d'], says: 'it did not', when: may, act: () => say(now()!, false) },
  {
    on: ['t'],
    says: 'take back what was seen',
    when: () => may() && now()?.seen != null,
    act: () => say(now()!, null),
  },
])
const print = () => window.print()
</script>

<template>
  <div class="sheet printed">
    <header class="named-head">
      <h1>To try</h1>
      <span class="soft" data-testid="progress">{{ data ? progress(groups) : '' }}</span>
      <span class="spring" />
      <CheckBox v-model="untried" class="unprinted">only what is not tried</CheckBox>
      <button class="plain soft unprinted" @click="print">print</button>
      <router-link class="plain soft unprinted" :to="{ name: 'holds', params: { network } }"
        >what must hold</router-link
      >
    </header>
    <p v-if="data" class="of soft small">
      <template v-if="ofDraft && data.in_force === null">Of the draft: nothing is in force yet.</template>
      <template v-else-if="ofDraft"
        >Of the draft, which is not in force: what is seen before its release may differ.
        <button class="link unprinted" @click="version = ''">Of what is in force</button></template
      >
      <template v-else
        >Of {{ data.version }}: what can be tried now.
        <button class="link unprinted" @click="version = 'draft'">Of the draft</button></template
      >
      Where it says “counted by”, the counters of these rules rise.
    </p>
    <p v-if="failure" class="problem of" role="alert">{{ failure }}</p>
    <div class="body">
      <div v-if="lines.length" class="titles soft small" aria-hidden="true">
        <span>from, to</span><span>try</span><span>must be seen</span><span>was seen</span>
      </div>
      <section v-for="group in shown" :key="group.name" class="group" :aria-label="group.name">
        <h2>
          <span class="drawn"><LineCode :course="group.must === 'allowed' ? 'allow' : 'drop'" small /></span>
          {{ group.name }} <span class="soft words">{{ group.sentence }}</span>
        </h2>
        <div
          v-for="line in group.lines"
          :key="line.number"
          class="trial"
          role="group"
          :aria-label="`${line.number}: ${line.trial.source} to ${line.trial.destination}, ${line.trial.service}`"
          :data-trial="line.number"
          :tabindex="line.number === chosen || (at < 0 && line === lines[0]) ? 0 : -1"
          :class="{ selected: line.number === chosen, otherwise: isOtherwise(line) }"
          @focus="chosen = line.number"
          @click="chosen = line.number"
        >
          <span class="number soft">{{ line.number }}</span>
          <span class="ends">
            <span class="end"
              >{{ line.trial.source }}
              <span v-if="line.trial.source !== line.trial.source_address" class="raw soft">{{
                line.trial.source_address
              }}</span></span
            >
            <span class="end"
              ><span class="soft">→</span> {{ line.trial.destination }}
              <span v-if="line.trial.destination !== line.trial.destination_address" class="raw soft">{{
                line.trial.destination_address
              }}</span></span
            >
          </span>
          <span class="what"
            >{{ line.trial.service
            }}<span v-if="line.trial.when" class="small soft"> at {{ line.trial.when }}</span></span
          >
          <span class="must">
            <span v-if="mustBe(group.must, line.trial)" class="amiss"
              >{{ mustBe(group.must, line.trial) }}:
            </span>
            {{ line.trial.seen.join(' or ') }}
            <span class="small soft by">
              counted by
              <template v-for="(step, n) in line.trial.counted" :key="n"
                ><template v-if="n">, </template
                ><router-link
                  v-if="step.rule_id"
                  class="link"
                  :to="{
                    name: 'rules',
                    params: { network, policy: step.policy_id },
                    query: { rule: step.rule_id },
                  }"
                  @click.stop
                  >{{ step.rule }}</router-link
                ><template v-else>{{
                  step.rule ?? (step.policy ? `the default of ${step.policy}` : `the ${step.stage} default`)
                }}</template>
                at {{ step.device }}</template
              ><template v-if="!line.trial.counted.length">nobody</template>
            </span>
          </span>
          <span class="result">
            <span class="ticks" role="group" :aria-label="`What was seen of ${line.number}`">
              <button
                type="button"
                class="tick"
                :class="{ on: line.seen?.worked === true }"
                :aria-pressed="line.seen?.worked === true"
                :disabled="!writable"
                @click="say(line, line.seen?.worked === true ? null : true)"
              >
                worked
              </button>
              <button
                type="button"
                class="tick"
                :class="{ on: line.seen?.worked === false }"
                :aria-pressed="line.seen?.worked === false"
                :disabled="!writable"
                @click="say(line, line.seen?.worked === false ? null : false)"
              >
                did not
              </button>
            </span>
            <span v-if="line.seen" class="small">
              <strong v-if="isOtherwise(line)" class="warning">not as told · </strong>
              <span class="soft"
                >{{ line.seen.person }}, {{ moment(line.seen.at)
                }}<template v-if="line.before && data?.in_force != null"
                  >, before {{ `edition ${data.in_force}` }}</template
                ></span
              >
            </span>
            <input
              v-if="line.seen && (writable || line.seen.note)"
              class="note"
              :value="line.seen.note"
              :readonly="!writable"
              maxlength="2000"
              :aria-label="`Note on ${line.number}`"
              placeholder="a note"
              @change="noted(line, ($event.target as HTMLInputElement).value)"
              @keydown.enter="($event.target as HTMLInputElement).blur()"
            />
          </span>
        </div>
        <p v-if="group.why" class="small soft rest">Nothing to try: {{ group.why }}.</p>
        <p v-if="group.more" class="small soft rest">and {{ figure(group.more) }} more like these</p>
      </section>
      <section v-if="gone.length && !untried" class="group" aria-label="Tried before">
        <h2>Tried before, and not asked any more</h2>
        <p v-for="one in gone" :key="one.packet" class="rest small">
          {{ one.packet }} <span class="soft">({{ one.about }})</span>:
          {{ one.worked ? 'worked' : 'did not work' }}
          <span class="soft">{{ one.person }}, {{ moment(one.at) }}{{ one.note && ` · ${one.note}` }}</span>
        </p>
      </section>
      <p v-if="isPending && revision >= 0" class="empty soft" role="status">
        It is being worked out what to try.
      </p>
      <p v-else-if="data && !groups.length" class="empty soft">
        Nothing must hold yet, so there is nothing to try.
        <router-link class="link" :to="{ name: 'holds', params: { network } }"
          >Write what must hold</router-link
        >: for each of it the packets to try stand here, those that must not get through as well.
      </p>
      <p v-else-if="untried && !shown.length && groups.length" class="empty soft">
        All {{ counted(groups.flatMap((g) => g.lines).length, 'packet') }} are tried.
      </p>
      <p v-if="error" class="problem empty" role="alert">{{ error.message }}</p>
    </div>
  </div>
</template>

<style scoped>
.sheet {
  height: 100%;
  display: grid;
  grid-template-rows: auto auto auto minmax(0, 1fr);
}
.spring {
  flex: 1;
}
.of {
  padding: 0 16px 8px;
  border-bottom: 1px solid var(--hair);
}
.body {
  --columns: 30px minmax(150px, 1fr) 108px minmax(200px, 1.3fr) minmax(190px, 0.8fr);
  grid-row: -2;
  overflow-y: auto;
  padding: 0 16px 24px;
}
.group {
  content-visibility: auto;
  contain-intrinsic-size: auto 160px;
}
h2 {
  display: flex;
  gap: 4px 10px;
  flex-wrap: wrap;
  align-items: baseline;
  margin-top: 16px;
  padding-bottom: 4px;
  border-bottom: 1px solid var(--ink);
  overflow-wrap: anywhere;
}
h2 .words {
  font-weight: 400;
  font-size: 13px;
}
.drawn {
  width: 52px;
  align-self: center;
}
.trial {
  display: grid;
  grid-template-columns: var(--columns);
  gap: 2px 14px;
  padding: 6px 0 5px;
  border-bottom: 1px solid var(--hair);
  align-items: start;
  overflow-wrap: anywhere;
  break-inside: avoid;
}
.selected {
  background: var(--selected);
}
.otherwise {
  border-left: 4px solid var(--reject);
  margin-left: -4px;
}
.number {
  text-align: right;
}
.end,
.by {
  display: block;
}
.amiss {
  font-weight: 650;
  color: var(--reject);
}
.result {
  display: flex;
  flex-direction: column;
  gap: 3px;
}
.ticks {
  display: flex;
  gap: 6px;
}
.tick {
  padding: 3px 9px;
  font: inherit;
  font-size: 12px;
  color: inherit;
  background: var(--sheet);
  border: 1px solid var(--soft);
  border-radius: 2px;
  cursor: pointer;
}
.tick.on {
  background: var(--depth-5);
  border-color: var(--depth-5);
  color: var(--sheet);
  font-weight: 650;
}
.tick:disabled {
  cursor: default;
}
.note {
  width: 100%;
  padding: 3px 6px;
  font: inherit;
  font-size: 12px;
  color: inherit;
  background: var(--sheet);
  border: 1px solid var(--hair);
}
.titles {
  display: grid;
  grid-template-columns: var(--columns);
  gap: 2px 14px;
  padding-top: 8px;
}
.titles > :first-child {
  grid-column: 2;
}
.rest {
  padding: 5px 0 0 44px;
}
.empty {
  padding: 24px 0;
  max-width: 640px;
}
@media (max-width: 900px) {
  .body {
    --columns: 24px minmax(0, 1fr) minmax(0, 1.2fr);
  }
  .titles {
    display: none;
  }
  .result {
    grid-column: 2 / -1;
  }
  .what {
    grid-column: 3;
  }
  .must {
    grid-column: 2 / -1;
  }
}
@media print {
  .body {
    --columns: 24px minmax(0, 1.1fr) 92px minmax(0, 1.2fr) 132px;
  }
  .titles {
    display: grid;
  }
  .group {
    content-visibility: visible;
  }
  .trial > * {
    grid-column: auto;
  }
  .selected,
  .tick,
  .tick.on {
    color: inherit;
    background: none;
  }
  .tick.on {
    border-width: 2px;
  }
  .note {
    min-height: 22px;
    border-width: 0 0 1px;
    background: none;
  }
  .note::placeholder {
    color: transparent;
  }
}
</style>
