<script setup lang="ts">
/** What must hold: does it, and if not, by which packet and which rule? Written as a sentence, as a form, or from a sheet. */
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { Problem, type Shapes } from '@/api/client'
import {
  type Expectation,
  readText,
  useAddExpectations,
  type Given,
  useExpectations,
  useHeldSince,
  useManyExpectations,
} from '@/api/expectations'
import { useGround } from '@/api/ground'
import { useNetworkEdits } from '@/api/networkEdits'
import { useSession } from '@/api/session'
import { useAct } from '@/editing/act'
import { useHeld } from '@/editing/held'
import { sourceNames } from '@/editing/things'
import type { Source } from '@/editing/things'
import { giveUp, leftAt, mayLeave, unsaved } from '@/editing/unsaved'
import { useFrame } from '@/frame/frame'
import ExpectationEditor from '@/places/verify/ExpectationEditor.vue'
import HoldTogether from '@/places/verify/HoldTogether.vue'
import RequirementsSheet from '@/places/verify/RequirementsSheet.vue'
import VerdictLine from '@/places/verify/VerdictLine.vue'
import { type Mend, mendOf as ruleThatMends, zonesOf } from '@/places/verify/mending'
import { useCarrying } from '@/places/rules/carrying'
import { inOrder, isBad, standing } from '@/places/verify/holding'
import { useKeys } from '@/ui/keys'
import { walkKeys } from '@/ui/longList'
import { pick } from '@/ui/pick'
import { inTurn } from '@/ui/turn'

const { id: network, names, network: told, revision } = useFrame()
const session = useSession()
const route = useRoute()
const router = useRouter()
const edits = useNetworkEdits(network)
const carrying = useCarrying()
const adding = useAddExpectations(network)
const { data, error, isPending } = useExpectations(network, revision)
const { data: ground } = useGround(network, revision)

const text = ref('')
const all = computed(() => inOrder(data.value?.expectations ?? []))
const shown = computed(() => {
  const word = text.value.trim().toLowerCase()
  return word
    ? all.value.filter((e) => `${e.sentence} ${e.thing.owner}`.toLowerCase().includes(word))
    : all.value
})
const writable = computed(() => session.writes)
const chosen = computed(() => (route.params.expectation ? Number(route.params.expectation) : null))
const { shown: line, gone } = useHeld(
  () => all.value.find((e) => e.id === chosen.value),
  () => chosen.value,
)
const { data: since } = useHeldSince(
  network,
  revision,
  computed(() => (line.value && isBad(line.value.verdict) && !gone.value ? line.value.id : null)),
)
const partyNames = (source: Source) =>
  ground.value ? ['any', ...sourceNames(source, ground.value, names.value, 0)] : []

/** What a new one begins with; null while none is being added. */
const begin = ref<{ thing: Expectation | null } | null>(
  leftAt(`expectation ${network.value} 0`) !== null ? { thing: null } : null,
)
const pasting = ref(false)

/** Several of them, chosen together. */
const picked = ref<ReadonlySet<number>>(new Set())
/** Where the keys are: at the one that is chosen, or the last of several. */
const lastPicked = ref<number | null>(null)
const cursor = computed(() => lastPicked.value ?? chosen.value)
const together = computed(() => shown.value.filter((e) => picked.value.has(e.id)))
const many = useManyExpectations(network)
const { busy: actingTogether, problem: refusedTogether, act } = useAct()
async function pickOne(id: number, how: 'toggle' | 'range'): Promise<void> {
  if (!writable.value || !(await mayLeave())) return
  begin.value = null
  picked.value = pick(
    shown.value.map((e) => e.id),
    picked.value,
    cursor.value,
    id,
    how,
  )
  lastPicked.value = id
  refusedTogether.value = ''
}
function clicked(id: number, event: MouseEvent): void {
  const how = event.shiftKey ? 'range' : event.ctrlKey || event.metaKey ? 'toggle' : 'one'
  if (how === 'one') void choose(id)
  else {
    getSelection()?.removeAllRanges()
    void pickOne(id, how)
  }
}
async function actTogether(what: 'delete' | 'change', given?: Given): Promise<void> {
  const expectations = together.value.map((e): [number, number] => [e.id, e.ver])
  const done = await act(() => inTurn(() => many.mutateAsync({ expectations, act: what, given })))
  if (done && what === 'delete') {
    picked.value = new Set()
    lastPicked.value = null
  }
}

async function choose(id: number | null): Promise<void> {
  if (!(await mayLeave())) return
  picked.value = new Set()
  lastPicked.value = null
  begin.value = null
  await router.replace({
    name: 'holds',
    params: { network: network.value, expectation: id ?? '' },
    query: { ...route.query, write: undefined },
  })
}
async function add(thing: Expectation | null = null): Promise<void> {
  if (!writable.value || !(await mayLeave())) return
  begin.value = { thing }
}

// A sentence: the quickest way to write one, here or from wherever somebody looked.
const sentence = ref('')
const refused = ref('')
async function write(): Promise<void> {
  const words = sentence.value.trim()
  if (!words) return
  refused.value = ''
  try {
    const [first] = (await readText(network.value, words)).lines
    if (!first?.thing) refused.value = first?.problem ?? 'nothing is written there'
    else {
      await add(first.thing)
      refused.value = first.note ? `It ${first.note}.` : ''
      sentence.value = ''
    }
  } catch (e) {
    if (!(e instanceof Problem)) throw e
    refused.value = e.detail
  }
}
watch(
  () => route.query.write,
  (words) => {
    if (typeof words !== 'string' || !words) return
    sentence.value = words
    void write()
    void router.replace({ query: { ...route.query, write: undefined } })
  },
  { immediate: true },
)

async function save(thing: Expectation, ver: number): Promise<void> {
  if (begin.value || gone.value) {
    const made = await adding.mutateAsync([thing])
    giveUp()
    begin.value = null
    await choose(made.ids[0] ?? null)
  } else await edits.changeThing.mutateAsync({ kind: 'expectations', id: chosen.value!, ver, thing })
}
async function remove(ver: number): Promise<void> {
  await edits.deleteThing.mutateAsync({ id: chosen.value!, ver })
  giveUp()
  await choose(null)
}
const take = (things: Expectation[]) => adding.mutateAsync(things)
async function taken(things: Expectation[]): Promise<void> {
  await take(things)
  pasting.value = false
}

function ask(q: string): void {
  void router.push({ name: 'question', params: { network: network.value }, query: { q } })
}

const zones = computed(() => (ground.value ? zonesOf(ground.value, names.value) : null))
const mendOf = (thing: Expectation, of: Shapes['Verdicted']): Mend | null =>
  zones.value && ruleThatMends(thing, of, zones.value)
/** The rule is laid down where it works, to be looked at before it is added. */
function mend({ policy, rule }: Mend): void {
  carrying.rule = rule
  void router.push({ name: 'rules', params: { network: network.value, policy } })
}

const example = computed(() => {
  const inside = (ground.value?.segments ?? []).filter((s) => !s.thing.outside).map((s) => s.thing.name)
  return inside.length > 1
    ? `${inside[0]} must not reach ${inside[1]} on any`
    : 'WHO must reach WHOM on SERVICE'
})
const at = computed(() => shown.value.findIndex((e) => e.id === cursor.value))
async function stretch(by: number): Promise<void> {
  const next = shown.value[at.value + by]
  if (!next) return
  await pickOne(next.id, 'range')
}
const free = () => !unsaved() && !pasting.value
useKeys('What must hold', [
  ...walkKeys('line', {
    count: () => shown.value.length,
    at: () => at.value,
    go: (index) => shown.value[index] && choose(shown.value[index].id),
    when: () => free() && shown.value.length > 0,
  }),
  { on: ['n'], says: 'a new one', when: () => free() && writable.value, act: () => add() },
  {
    on: ['p'],
    says: 'paste requirements',
    when: () => free() && writable.value,
    act: () => (pasting.value = true),
  },
  {
    on: ['Shift+ArrowDown'],
    shows: ['Shift+ArrowDown', ' '],
    says: 'choose several',
    when: () => free() && writable.value,
    act: () => stretch(1),
  },
  { on: ['Shift+ArrowUp'], when: () => free() && writable.value, act: () => stretch(-1) },
  {
    on: [' '],
    when: () => free() && writable.value && cursor.value !== null,
    act: () => pickOne(cursor.value!, 'toggle'),
  },
  {
    on: ['Ctrl+a'],
    says: 'choose all',
    when: () => free() && writable.value,
    act: () => void (picked.value = new Set(shown.value.map((e) => e.id))),
  },
  { on: ['Escape'], says: 'choose none', act: () => choose(null) },
])
</script>

<template>
  <div class="holds" :class="{ panelled: begin || line || together.length }">
    <header class="named-head">
      <h1>What must hold</h1>
      <span class="soft" data-testid="standing">{{ data ? standing(all) : '' }}</span>
      <span class="spring" />
      <input v-model="text" class="find" type="search" placeholder="find" aria-label="Find" />
      <router-link v-if="all.length" class="plain soft" :to="{ name: 'try', params: { network } }"
        >to try</router-link
      >
      <button v-if="writable" class="plain soft" @click="pasting = true">
        paste requirements <kbd>p</kbd>
      </button>
      <button v-if="writable" class="plain soft" @click="add()">add <kbd>n</kbd></button>
    </header>
    <form v-if="writable" class="sentence" @submit.prevent="write">
      <label class="small soft" for="must-sentence">Write one</label>
      <input
        id="must-sentence"
        v-model="sentence"
        class="find"
        :placeholder="example"
        autocomplete="off"
        @input="refused = ''"
        @keydown.esc.stop="sentence = ''"
      />
      <button type="submit" class="link" :disabled="!sentence.trim()">look at it ↵</button>
      <span v-if="refused" class="problem" role="alert">{{ refused }}</span>
    </form>
    <div class="named-list" role="grid" aria-label="What must hold" :aria-rowcount="shown.length">
      <div
        v-for="(one, index) in shown"
        :key="one.id"
        class="row named-row"
        role="row"
        :class="{
          selected: picked.size ? picked.has(one.id) : one.id === chosen,
          bad: isBad(one.verdict),
          after: index > 0 && isBad(shown[index - 1]!.verdict) && !isBad(one.verdict),
        }"
        :aria-selected="picked.size ? picked.has(one.id) : one.id === chosen"
        :tabindex="one.id === chosen || (chosen === null && index === 0) ? 0 : -1"
        @click="clicked(one.id, $event)"
      >
        <span role="gridcell" class="what">
          <span class="called">{{ one.thing.name }}</span>
          <span class="soft small words">{{ one.sentence.slice(one.thing.name.length + 2) }}</span>
        </span>
        <span role="gridcell" class="how">
          <VerdictLine :told="one" :must="one.thing.must" :network="network" @ask="ask" />
        </span>
        <span role="gridcell" class="small soft who">{{
          [one.thing.owner, one.thing.until && `until ${one.thing.until}`].filter(Boolean).join(' · ')
        }}</span>
      </div>
      <p v-if="isPending && revision >= 0" class="empty soft" role="status">
        It is being worked out whether all holds.
      </p>
      <p v-else-if="data && !all.length" class="empty soft">
        Nothing must hold yet. Write a sentence above, such as <em>{{ example }}</em>, or paste the table of
        who may reach whom: each line is checked at every edit from then on.
        <template v-if="told && !ground?.devices.length"
          >There is no device yet that could lead anything anywhere; see
          <router-link class="link" :to="{ name: 'ground', params: { network } }">Ground</router-link
          >.</template
        >
      </p>
      <p v-else-if="!shown.length && all.length" class="empty soft">None of them says “{{ text.trim() }}”.</p>
    </div>
    <aside v-if="together.length" class="named-panel" aria-label="Several that must hold">
      <HoldTogether
        :chosen="together"
        :busy="actingTogether"
        :refused="refusedTogether"
        :act="actTogether"
        @clear="choose(null)"
      />
    </aside>
    <aside v-else-if="begin || line" class="named-panel" aria-label="One that must hold">
      <ExpectationEditor
        :key="begin ? `new ${JSON.stringify(begin.thing)}` : line!.id"
        :network="network"
        :line="begin ? null : line"
        :begin="begin?.thing ?? null"
        :writable="writable"
        :gone="gone && !begin"
        :names="partyNames"
        :save="save"
        :remove="remove"
        :take-more="take"
        :mend="mendOf"
        :since="begin ? null : (since ?? null)"
        @ask="ask"
        @mend="mend"
        @close="choose(begin ? chosen : null)"
      />
    </aside>
    <RequirementsSheet v-if="pasting" :network="network" :take="taken" @close="pasting = false" />
    <p v-if="error" class="problem empty" role="alert">{{ error.message }}</p>
  </div>
</template>

<style scoped>
.holds {
  height: 100%;
  display: grid;
  grid-template: auto auto 1fr / minmax(0, 1fr);
}
.panelled {
  grid-template-columns: minmax(0, 1fr) 372px;
}
@media (max-width: 859px) {
  .holds.panelled {
    grid-template: auto auto minmax(0, 1fr) minmax(0, 1.5fr) / minmax(0, 1fr);
  }
}
.spring {
  flex: 1;
}
.sentence {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 12px;
  align-items: baseline;
  padding: 6px 16px 10px;
  border-bottom: 1px solid var(--hair);
}
.sentence .find {
  flex: 1 1 320px;
  max-width: 620px;
}
.row {
  grid-template-columns: minmax(180px, 1fr) minmax(220px, 1.15fr) 96px;
  gap: 18px;
  min-height: 44px;
  padding-block: 7px;
  align-items: start;
  /* Thousands of them are drawn as they come into sight. */
  content-visibility: auto;
  contain-intrinsic-size: auto 52px;
}
.panelled .row {
  grid-template-columns: minmax(160px, 1fr) minmax(190px, 1.15fr);
}
.panelled .named-head {
  flex-wrap: wrap;
}
.panelled .who {
  display: none;
}
.what {
  display: flex;
  flex-direction: column;
  min-width: 0;
}
.bad .called {
  font-weight: 650;
}
.after {
  border-top: 2px solid var(--ink);
}
.words {
  overflow-wrap: anywhere;
}
.who {
  text-align: right;
}
.empty {
  padding: 24px 16px;
  max-width: 640px;
}
</style>
