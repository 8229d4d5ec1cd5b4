<script setup lang="ts">
/** Rules: what is the order, what does each rule decide here and now, what happens if I change it? */
import { useVirtualizer } from '@tanstack/vue-virtual'
import { type ComponentPublicInstance, computed, nextTick, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { type Previewed, Problem, type Rule, type RuleRow } from '@/api/client'
import { useEdits, usePolicy } from '@/api/queries'
import DropPreview from '@/components/DropPreview.vue'
import LineCode from '@/components/LineCode.vue'
import ListMap from '@/components/ListMap.vue'
import RuleAbout from '@/components/RuleAbout.vue'
import RuleEditor from '@/components/RuleEditor.vue'
import RuleLine from '@/components/RuleLine.vue'
import TideGauge from '@/components/TideGauge.vue'
import { courseOfDefault } from '@/logic/courses'
import { useCarry } from '@/logic/drag'
import { findRules, type Sieve, SIEVES } from '@/logic/find'
import { gap as gapPlace, moveTo, placeOfGap } from '@/logic/places'
import { draftOf } from '@/logic/ruleDraft'
import { attachment, otherwise } from '@/logic/words'
import { useFrame } from '@/state/frame'
import { useSession } from '@/state/session'

const ROW_PX = 44
const TOLD_PX = 26
const DEFAULT_PX = 78

const { id: network, network: whole, names, revision } = useFrame()
const session = useSession()
const route = useRoute()
const router = useRouter()

const policyId = computed(() => (route.params.policy ? Number(route.params.policy) : null))
const { data: policy, error } = usePolicy(network, policyId, revision)
const edits = useEdits(network, policyId)
const rows = computed(() => policy.value?.rows ?? [])

// Finding: the list shows what fits, positions stay those of the whole list; nothing is dragged meanwhile.
const finding = ref(false)
const text = ref('')
const sieve = ref<Sieve>('')
const finder = ref<HTMLInputElement>()
const shown = computed(() =>
  finding.value ? findRules(rows.value, names.value, text.value, sieve.value) : rows.value,
)
const writable = computed(() => session.me !== null && session.me.role !== 'viewer')

const scroller = ref<HTMLElement>()
const chosen = ref<number | null>(null)
const onDefault = ref(false)
/** The rule being written: an existing one, or a new one (id null) for the gap at `index`. */
const writing = ref<{
  id: number | null
  index: number
  works: boolean
  rule: Rule | null
  stamp: number
} | null>(null)
let stamp = 0
const dirty = ref(false)
const notice = ref('')
const asked = ref<RuleRow | null>(null)
const sure = ref<ComponentPublicInstance>()
// The question takes the keyboard at once: a quick Enter answers it, not the row behind it.
watch(asked, async (row) => {
  if (!row) return
  await nextTick()
  await nextTick()
  ;(sure.value?.$el as HTMLElement | undefined)?.focus()
})

watch(
  [policyId, whole],
  () => {
    const first = whole.value?.policies[0]
    if (policyId.value === null && first)
      void router.replace({
        name: 'rules',
        params: { network: network.value, policy: first.id },
        query: route.query,
      })
  },
  { immediate: true },
)

const selected = computed(() => rows.value.find((row) => row.id === chosen.value) ?? null)
const indexOf = (id: number | null) => shown.value.findIndex((row) => row.id === id)

function height(index: number): number {
  const row = shown.value[index]
  if (!row) return DEFAULT_PX
  return ROW_PX + (row.rule.enabled && (row.decides !== 'all' || row.kind) ? TOLD_PX : 0)
}

const virtual = useVirtualizer(
  computed(() => ({
    count: policy.value ? shown.value.length + 1 : 0,
    getScrollElement: () => scroller.value ?? null,
    estimateSize: height,
    overscan: 12,
    getItemKey: (index: number) => shown.value[index]?.id ?? 'otherwise',
  })),
)
watch(shown, () => virtual.value.measure())
const items = computed(() => virtual.value.getVirtualItems())
const firstShown = computed(() => {
  void items.value
  return virtual.value.range?.startIndex ?? 0
})
const lastShown = computed(() => Math.min(virtual.value.range?.endIndex ?? 0, shown.value.length - 1))

const { carried, gap, grip } = useCarry({
  list: () => scroller.value,
  gapAt(offset) {
    const item = virtual.value.getVirtualItemForOffset(offset)
    if (!item) return 0
    return Math.min(item.index + (offset > item.start + item.size / 2 ? 1 : 0), rows.value.length)
  },
  drop: (id, at) => void move(id, placeOfGap(rows.value, id, at)),
})
const carriedRow = computed(() => rows.value.find((row) => row.id === carried.value) ?? null)
const target = computed(() => (carried.value === null ? 0 : placeOfGap(rows.value, carried.value, gap.value)))
/** Where the carried rule, or the new one being written, would stand. */
const gapOffset = computed(() => {
  const item = virtual.value.measurementsCache[carriedRow.value ? gap.value : (writing.value?.index ?? 0)]
  return item ? item.start : virtual.value.getTotalSize()
})

// What the carried rule would decide where it is held: the latest place wins.
const held = ref<Previewed | null>(null)
const heldStale = ref(false)
let asking: AbortController | undefined
watch([carriedRow, target], async ([row, place]) => {
  asking?.abort()
  if (!row) {
    held.value = null
    return
  }
  asking = new AbortController()
  heldStale.value = true
  try {
    held.value = await edits.preview(
      { rule: row.rule, place: moveTo(rows.value, row.id, place), rule_id: row.id },
      asking.signal,
    )
    heldStale.value = false
  } catch {
    // A later place has been asked about; its answer will come.
  }
})

function tell(error: unknown): void {
  notice.value = error instanceof Problem ? error.detail : String(error)
  edits.refresh()
}

async function focusRow(id: number | null, scrollTo = true): Promise<void> {
  chosen.value = id
  onDefault.value = id === null
  const index = id === null ? shown.value.length : indexOf(id)
  if (index < 0) return
  if (scrollTo) virtual.value.scrollToIndex(index, { align: 'auto' })
  await nextTick()
  requestAnimationFrame(() =>
    scroller.value
      ?.querySelector<HTMLElement>(id === null ? '[data-otherwise]' : `[data-rule="${id}"]`)
      ?.focus({ preventScroll: true }),
  )
}

async function move(id: number, place: number): Promise<void> {
  const row = rows.value.find((r) => r.id === id)
  const to = Math.min(Math.max(place, 1), rows.value.length)
  if (!row || !writable.value || row.position === to) return
  notice.value = ''
  try {
    await edits.move.mutateAsync({ id, ver: row.ver, place: moveTo(rows.value, id, to) })
    await focusRow(id)
  } catch (error) {
    tell(error)
  }
}

async function toggle(row: RuleRow): Promise<void> {
  try {
    const rule: Rule = { ...draftOf(row.rule), enabled: !row.rule.enabled }
    await edits.change.mutateAsync({ id: row.id, ver: row.ver, rule })
    notice.value = ''
  } catch (error) {
    tell(error)
  }
}

async function remove(): Promise<void> {
  const row = asked.value
  asked.value = null
  if (!row) return
  const next = rows.value[row.position] ?? rows.value[row.position - 2]
  try {
    await edits.remove.mutateAsync({ id: row.id, ver: row.ver })
    await focusRow(next?.id ?? null)
  } catch (error) {
    tell(error)
  }
}

function leave(): boolean {
  return !dirty.value || confirm('What you have written of this rule is not saved. Leave it?')
}

function write(id: number | null, index: number, more: { works?: boolean; rule?: Rule } = {}): void {
  if (!writable.value || !leave()) return
  dirty.value = false
  writing.value = { id, index, works: more.works ?? false, rule: more.rule ?? null, stamp: ++stamp }
}

function close(): void {
  writing.value = null
  dirty.value = false
  void focusRow(chosen.value, false)
}

/**
 * A new rule right before the row in focus, or after the last rule when the default is. Where it `works`: if
 * another rule would take some of it there, it moves up to the lowest place where none does.
 */
function addHere(works: boolean): void {
  write(null, selected.value ? selected.value.position - 1 : rows.value.length, { works })
}

/** A copy right behind the original, to change one thing in. */
function copy(row: RuleRow): void {
  const name = `${row.rule.name} copy`
  write(null, row.position, { rule: { ...draftOf(row.rule), name } })
}

async function find(): Promise<void> {
  finding.value = true
  await nextTick()
  finder.value?.focus()
}

function findNoMore(): void {
  finding.value = false
  text.value = ''
  sieve.value = ''
  void focusRow(chosen.value)
}

const written = computed(() => rows.value.find((row) => row.id === writing.value?.id) ?? null)
const writingPlace = computed(() => {
  if (!writing.value) return { after: null, before: null }
  const { id, index } = writing.value
  return id === null ? gapPlace(rows.value, index) : moveTo(rows.value, id, index + 1)
})

async function save(rule: Rule, ver: number | null): Promise<void> {
  const now = writing.value!
  if (now.id === null) {
    const edited = await edits.add.mutateAsync({ rule, place: writingPlace.value })
    writing.value = null
    dirty.value = false
    await focusRow(edited.rule_id ?? null)
    return
  }
  const row = written.value
  if (!row) throw new Problem(409, 'Somebody deleted this rule meanwhile.')
  // The version that was read when writing began, not the newest: what somebody saved since is not overwritten.
  const edited = await edits.change.mutateAsync({ id: row.id, ver: ver!, rule }).catch((error) => {
    if (error instanceof Problem && error.status === 409) edits.refresh()
    throw error
  })
  const fresh = edited.policy.rows.find((r) => r.id === row.id)!
  if (fresh.position !== now.index + 1) await move(row.id, now.index + 1)
  close()
}

function select(row: RuleRow): void {
  if (writing.value && writing.value.id !== row.id && !leave()) return
  writing.value = null
  dirty.value = false
  void focusRow(row.id, false)
}

function key(event: KeyboardEvent): void {
  if (asked.value || (event.target as HTMLElement).closest('input, textarea, button, a')) return
  const at = selected.value ? selected.value.position - 1 : onDefault.value ? rows.value.length : -1
  const to = (index: number) =>
    focusRow(rows.value[Math.min(Math.max(index, 0), rows.value.length)]?.id ?? null)
  const row = selected.value
  if (event.altKey && row && event.key === 'ArrowUp') void move(row.id, row.position - 1)
  else if (event.altKey && row && event.key === 'ArrowDown') void move(row.id, row.position + 1)
  else if (event.altKey && row && event.key === 'Home') void move(row.id, 1)
  else if (event.altKey && row && event.key === 'End') void move(row.id, rows.value.length)
  else if (event.altKey || event.ctrlKey || event.metaKey) return
  else if (event.key === 'ArrowDown') void to(at + 1)
  else if (event.key === 'ArrowUp') void to(at - 1)
  else if (event.key === 'PageDown') void to(at + 10)
  else if (event.key === 'PageUp') void to(at - 10)
  else if (event.key === 'Home') void to(0)
  else if (event.key === 'End') void to(shown.value.length)
  else if (event.key === 'Enter' && row) write(row.id, row.position - 1)
  else if (event.key === 'n') addHere(true)
  else if (event.key === 'N') addHere(false)
  else if (event.key === 'c' && row) copy(row)
  else if (event.key === 'f') void find()
  else if (event.key === 'x' && row && writable.value) void toggle(row)
  else if (event.key === 'Delete' && row && writable.value) asked.value = row
  else if (event.key === 'Escape') chosen.value = null
  else return
  event.preventDefault()
}

function ask(q: string): void {
  void router.replace({ query: { ...route.query, q } })
}

// A link to a rule selects it; another policy starts clean.
watch(
  [policyId, () => route.query.rule, policy],
  ([id, rule], [before]) => {
    if (id !== before) {
      chosen.value = null
      writing.value = null
      dirty.value = false
      notice.value = ''
      finding.value = false
      text.value = ''
      sieve.value = ''
    }
    if (policy.value?.id !== id || rule === undefined) return
    void router.replace({ query: { ...route.query, rule: undefined } })
    void focusRow(rule === 'otherwise' ? null : Number(rule))
  },
  { immediate: true },
)
</script>

<template>
  <div v-if="policy" class="rules" :class="{ panelled: writing || carriedRow || selected }" @keydown="key">
    <header class="head">
      <h1>{{ policy.name }}</h1>
      <span class="soft facts">
        <template v-if="policy.attachments.length">{{
          policy.attachments.map(attachment).join(' · ')
        }}</template>
        <strong v-else class="warning">attached nowhere, so it does nothing</strong>
        · {{ policy.rules }} rules, otherwise {{ otherwise(policy) }}
      </span>
      <button class="plain add" @click="find">find <kbd>f</kbd></button>
      <button v-if="writable" class="plain add" @click="addHere(true)">add <kbd>n</kbd></button>
    </header>
    <p v-if="notice" class="notice" role="alert">
      {{ notice }} <button class="link" @click="notice = ''">close</button>
    </p>
    <div v-if="finding" class="finding">
      <input
        ref="finder"
        v-model="text"
        class="find"
        type="search"
        placeholder="name, address, port, words"
        aria-label="Find rules"
        @keydown.esc="findNoMore"
        @keydown.enter.prevent="focusRow(shown[0]?.id ?? null)"
      />
      <button
        v-for="s in SIEVES"
        :key="s.value"
        class="plain sieve"
        :class="{ on: sieve === s.value }"
        :aria-pressed="sieve === s.value"
        @click="sieve = s.value"
      >
        {{ s.text }}
      </button>
      <span class="soft small">{{ shown.length }} of {{ rows.length }}</span>
      <button class="link small" @click="findNoMore">show all</button>
    </div>
    <div class="body">
      <ListMap
        :rows="shown"
        :from="firstShown"
        :to="lastShown"
        @go="virtual.scrollToIndex($event, { align: 'center' })"
      />
      <div
        ref="scroller"
        class="list"
        role="grid"
        :aria-label="`Rules of ${policy.name}`"
        :aria-rowcount="rows.length + 1"
      >
        <div class="extent" role="rowgroup" :style="{ height: `${virtual.getTotalSize()}px` }">
          <div
            v-for="item in items"
            :key="String(item.key)"
            class="slot"
            role="presentation"
            :style="{ transform: `translateY(${item.start}px)`, height: `${item.size}px` }"
          >
            <RuleLine
              v-if="shown[item.index]"
              :row="shown[item.index]!"
              :selected="shown[item.index]!.id === chosen"
              :lifted="shown[item.index]!.id === carried"
              :tabbable="chosen === null && !onDefault ? item.index === 0 : shown[item.index]!.id === chosen"
              :writable="writable"
              @click="select(shown[item.index]!)"
              @dblclick="write(shown[item.index]!.id, shown[item.index]!.position - 1)"
              @remove="asked = shown[item.index]!"
              @grip="writable && !finding && grip(shown[item.index]!.id, $event)"
              @move="move(shown[item.index]!.id, $event)"
            />
            <div
              v-else
              class="otherwise"
              role="row"
              data-otherwise
              :tabindex="onDefault || !rows.length ? 0 : -1"
              :aria-rowindex="rows.length + 1"
              @click="focusRow(null, false)"
            >
              <div class="soft small">
                Otherwise · the default of this policy<template v-if="policy.default_decides === 'none'"
                  >; nothing reaches it</template
                >
                <template v-else-if="policy.default_witness">
                  · for example
                  <button class="link raw" @click.stop="ask(policy.default_witness.question)">
                    {{ policy.default_witness.text }}
                  </button>
                </template>
              </div>
              <div class="rule-cells">
                <span class="soft dash" role="gridcell">–</span>
                <TideGauge :decides="policy.default_decides" role="gridcell" />
                <span role="gridcell">otherwise</span>
                <span class="from" role="gridcell">any</span>
                <LineCode :course="courseOfDefault(policy.default)" label="any" role="gridcell" />
                <span role="gridcell">{{ policy.default === 'continue' ? 'the next policy' : 'any' }}</span>
              </div>
            </div>
          </div>
          <div
            v-if="carriedRow || (writing?.id === null && !finding)"
            class="gap"
            :style="{ top: `${gapOffset - 1}px` }"
          />
        </div>
      </div>
    </div>
    <aside v-if="writing || carriedRow || selected" class="panel" aria-label="Rule">
      <DropPreview v-if="carriedRow" :row="carriedRow" :target="target" :told="held" :stale="heldStale" />
      <RuleEditor
        v-else-if="writing"
        :key="writing.stamp"
        :rule="written?.rule ?? writing.rule"
        :where-works="writing.works"
        :rule-id="writing.id"
        :ver="written?.ver ?? null"
        :position="writing.index + 1"
        :place="writingPlace"
        :names="names"
        :preview="edits.preview"
        :save="save"
        @close="leave() && close()"
        @place="writing.index = $event - 1"
        @ask="ask"
        @dirty="dirty = $event"
      />
      <RuleAbout
        v-else-if="selected"
        :network="network"
        :row="selected"
        :writable="writable"
        @edit="write(selected.id, selected.position - 1)"
        @remove="asked = selected"
        @toggle="toggle(selected)"
        @ask="ask"
        @go="focusRow($event)"
        @move="move(selected.id, $event)"
      />
    </aside>
    <v-dialog
      :model-value="asked !== null"
      max-width="420"
      :transition="false"
      @update:model-value="asked = null"
    >
      <div class="sure">
        <h2>Delete {{ asked?.position }} {{ asked?.rule.name }}?</h2>
        <p class="soft">
          {{
            asked?.decides === 'none' || asked?.kind === 'redundant' || !asked?.rule.enabled
              ? 'Same effect, proven: no flow changes.'
              : 'What it decides now falls to the rules after it.'
          }}
        </p>
        <div class="buttons">
          <v-btn ref="sure" color="primary" @click="remove">Delete</v-btn>
          <v-btn variant="outlined" @click="asked = null">Keep</v-btn>
        </div>
      </div>
    </v-dialog>
  </div>
  <p v-else-if="error" class="empty problem" role="alert">{{ error.message }}</p>
  <p v-else-if="whole && !whole.policies.length" class="empty soft">
    This network has no policy yet. A policy is an ordered list of rules; the first that matches a packet
    decides.
  </p>
</template>

<style scoped>
.rules {
  height: 100%;
  display: grid;
  grid-template: auto auto auto 1fr / minmax(0, 1fr);
}
.rules.panelled {
  grid-template-columns: minmax(0, 1fr) 324px;
}
.head {
  grid-column: 1;
  display: flex;
  align-items: baseline;
  gap: 14px;
  padding: 13px 16px 11px;
  border-bottom: 1px solid var(--hair);
}
.facts {
  flex: 1;
  min-width: 0;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.add {
  color: var(--soft);
}
.notice {
  grid-column: 1;
  grid-row: 2;
  padding: 7px 16px;
  color: var(--warning);
  background: var(--warning-ground);
}
.finding {
  grid-column: 1;
  grid-row: 3;
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 4px 14px;
  padding: 7px 16px;
  border-bottom: 1px solid var(--hair);
}
.sieve {
  color: var(--soft);
  font-size: 13px;
  border-bottom: 2px solid transparent;
}
.sieve.on {
  color: var(--ink);
  border-bottom-color: var(--depth-5);
}
.body {
  grid-column: 1;
  grid-row: 4;
  min-height: 0;
  display: flex;
  gap: 4px;
  padding: 8px 0 0 8px;
}
.list {
  flex: 1;
  min-width: 0;
  overflow-y: auto;
  scrollbar-width: none;
}
.extent {
  position: relative;
}
.slot {
  position: absolute;
  inset: 0 0 auto;
}
.gap {
  position: absolute;
  left: 0;
  right: 0;
  height: 3px;
  background: var(--focus);
  pointer-events: none;
}
.otherwise {
  padding: 10px 0 8px;
  border-bottom: 1px solid var(--hair);
  outline-offset: -2px;
}
.otherwise > .small {
  padding-left: 68px;
}
.dash,
.from {
  text-align: right;
}
.panel {
  grid-column: 2;
  grid-row: 1 / -1;
  min-height: 0;
  overflow-y: auto;
  background: var(--sheet);
  border-left: 1px solid var(--hair);
}
.sure {
  padding: 20px;
  background: var(--sheet);
  border-radius: 3px;
}
.buttons {
  display: flex;
  gap: 10px;
  margin-top: 16px;
}
.empty {
  padding: 24px;
  font-size: 14px;
}
</style>
