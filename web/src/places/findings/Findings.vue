<script setup lang="ts">
/** Findings: what is wrong or superfluous, how do we know, where is it, and what mends it? */
import { counted, figure } from '@/words'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { PlacedFinding } from '@/api/client'
import { useEditions } from '@/api/editions'
import { useFindings } from '@/api/findings'
import { useSession } from '@/api/session'
import KeptSearches from '@/editing/KeptSearches.vue'
import FindingPanel from '@/places/findings/FindingPanel.vue'
import {
  type By,
  grouped,
  isHead,
  KEYS,
  kindsOf,
  type Line,
  of,
  sifted,
  type Weight,
  type Which,
} from '@/places/findings/findings'
import ChoiceField from '@/ui/ChoiceField.vue'
import { useKeys } from '@/ui/keys'
import { read } from '@/ui/searchLine'
import { useLongList, walkKeys } from '@/ui/longList'
import { useFrame } from '@/frame/frame'

const ROW_PX = 46
const HEAD_PX = 34
const WEIGHTS: readonly Weight[] = ['error', 'warning', 'note']
const GROUPS: readonly { title: string; value: By }[] = [
  { title: 'by weight', value: 'weight' },
  { title: 'by policy', value: 'policy' },
  { title: 'by kind', value: 'kind' },
]

const route = useRoute()
const router = useRouter()
const session = useSession()
const { id: network, network: whole, revision } = useFrame()
const { data: editions } = useEditions(network, revision)
const since = ref<number | null>(null)
const { data, error } = useFindings(network, revision, since)
const writable = computed(() => session.writes)
const all = computed(() => data.value ?? [])
const word = ref('')
const kind = ref(typeof route.query.kind === 'string' ? route.query.kind : '')
const weight = ref<Weight | ''>('')
const by = ref<By>('weight')
const which = ref<Which>('open')
watch(since, (now) => {
  if (now !== null) which.value = 'fresh'
  else if (which.value === 'fresh') which.value = 'open'
})
const among = computed(() => of(all.value, which.value))
const kinds = computed(() => kindsOf(among.value))
const countOf = (w: Weight) => among.value.filter((f) => f.weight === w).length
const accepted = computed(() => of(all.value, 'accepted').length)
const shown = computed(() =>
  sifted(all.value, { which: which.value, kind: kind.value, weight: weight.value, word: word.value }),
)
const misread = computed(() => read(word.value, KEYS).problems)
const lines = computed(() => grouped(shown.value, by.value))
const versions = computed(() => [
  { title: 'old and new', value: null },
  ...(editions.value?.editions ?? []).map((e) => ({
    title: `new since edition ${e.number}`,
    value: e.number,
  })),
])

/** In the order in which they stand. */
const inOrder = computed(() => lines.value.filter((line): line is PlacedFinding => !isHead(line)))

/** Of two that say the same of the same the first is chosen. */
const keyOf = (f: PlacedFinding) => [f.kind, f.policy, f.rule, f.name, f.field, f.key || f.text].join(' / ')
const chosen = ref('')
const inHand = computed(() => inOrder.value.find((f) => keyOf(f) === chosen.value) ?? null)
const at = computed(() => (inHand.value ? inOrder.value.indexOf(inHand.value) : -1))

const list = useLongList<Line>({
  lines: () => lines.value,
  key: (line, index) => (isHead(line) ? `head ${line.head}` : `${index} ${keyOf(line)}`),
  height: (line) => (isHead(line) ? HEAD_PX : ROW_PX),
  overscan: 12,
})

function place(f: PlacedFinding) {
  if (f.policy_id)
    return {
      name: 'rules',
      params: { network: network.value, policy: f.policy_id },
      query: { rule: f.rule_id ?? undefined },
    }
  if (f.name_kind === 'device')
    return { name: 'ground', params: { network: network.value, thing: f.name_id ?? '' } }
  if (f.name_kind === 'schedule')
    return { name: 'schedules', params: { network: network.value, schedule: f.name_id ?? '' } }
  return { name: 'names', params: { network: network.value, name: f.name_id ?? '' } }
}
function choose(index: number): void {
  const found = inOrder.value[index]
  if (!found) return
  chosen.value = keyOf(found)
  list.show(lines.value.indexOf(found))
}
/** What was chosen is mended or accepted: the next one takes its place. */
function done(): void {
  const next = inOrder.value[at.value + 1] ?? inOrder.value[at.value - 1]
  chosen.value = next ? keyOf(next) : ''
}
const ask = (q: string) => router.push({ name: 'question', params: { network: network.value }, query: { q } })
const free = () => shown.value.length > 0
useKeys('Findings', [
  ...walkKeys('finding', { count: () => inOrder.value.length, at: () => at.value, go: choose, when: free }),
  {
    on: ['Enter'],
    says: 'go there',
    when: () => inHand.value !== null,
    act: () => void router.push(place(inHand.value!)),
  },
  { on: ['Escape'], says: 'choose none', act: () => void (chosen.value = '') },
])

const NONE: Record<Which, string> = {
  open: 'Nothing found: every rule decides something, every name is used.',
  fresh: 'Nothing that was not found then as well.',
  accepted: 'Nobody accepts anything.',
}
</script>

<template>
  <div class="findings" :class="{ panelled: inHand }">
    <header class="named-head">
      <h1>Findings</h1>
      <button
        v-for="w in WEIGHTS.filter(countOf)"
        :key="w"
        class="plain weight"
        :class="[w, { on: weight === w }]"
        :aria-pressed="weight === w"
        @click="weight = weight === w ? '' : w"
      >
        {{ counted(countOf(w), w) }}
      </button>
      <button
        v-if="accepted || which === 'accepted'"
        class="plain soft"
        :class="{ on: which === 'accepted' }"
        :aria-pressed="which === 'accepted'"
        @click="which = which === 'accepted' ? (since === null ? 'open' : 'fresh') : 'accepted'"
      >
        {{ figure(accepted) }} accepted
      </button>
      <span class="spring" />
      <input
        v-model="word"
        class="find"
        type="search"
        placeholder="find, policy: kind: rule:"
        aria-label="Find"
      />
      <KeptSearches v-model="word" place="findings" />
      <ChoiceField
        v-if="versions.length > 1"
        v-model="since"
        class="since"
        label="New"
        :items="versions"
        quiet
      />
      <ChoiceField v-model="by" class="by" label="Grouped" :items="[...GROUPS]" quiet />
    </header>
    <div class="choices" role="toolbar" aria-label="Kinds of findings">
      <button
        v-for="[k, count] in kinds"
        :key="k"
        class="plain"
        :class="{ on: kind === k }"
        :aria-pressed="kind === k"
        @click="kind = kind === k ? '' : k"
      >
        {{ k }} <span class="soft">{{ figure(count) }}</span>
      </button>
    </div>
    <p v-if="error" class="problem empty" role="alert">{{ error.message }}</p>
    <div
      v-else
      :ref="(element) => (list.scroller.value = element as HTMLElement)"
      class="list named-list"
      data-pane
      role="grid"
      aria-label="Findings"
      :aria-rowcount="shown.length"
    >
      <div class="extent" role="presentation" :style="{ height: `${list.total.value}px` }">
        <template v-for="{ line: found, key, style } in list.drawn.value" :key="key">
          <div v-if="isHead(found)" class="head" role="row" :style="style">
            <span role="rowheader" aria-colspan="3"
              >{{ found.head }} <span class="soft">{{ figure(found.count) }}</span></span
            >
          </div>
          <div
            v-else
            class="row named-row"
            role="row"
            :class="{ selected: found === inHand }"
            :aria-selected="found === inHand"
            :tabindex="found === inHand || (!inHand && found === inOrder[0]) ? 0 : -1"
            :style="style"
            @click="chosen = keyOf(found)"
          >
            <span role="gridcell" class="what" :class="found.weight">{{ found.kind }}</span>
            <span role="gridcell" class="where">
              <template v-if="found.rule"
                >{{ found.position }} {{ found.rule }}
                <span class="soft small">{{ found.policy }}</span></template
              >
              <template v-else>{{ found.policy ?? found.name }}</template>
            </span>
            <span role="gridcell" class="text">
              <span v-if="found.accepted" class="soft"
                >until {{ found.accepted.until }}: {{ found.accepted.reason }} ·
              </span>
              {{ found.text }}</span
            >
          </div>
        </template>
      </div>
      <p v-if="data && !all.length" class="empty soft">
        {{
          whole?.policies.length
            ? NONE.open
            : 'There is no policy yet, so there is no rule in which something could be found.'
        }}
      </p>
      <p v-else-if="data && !shown.length" class="empty soft">
        {{
          misread.length
            ? misread.join('; ')
            : word.trim() || kind || weight
              ? 'None of them is like that.'
              : NONE[which]
        }}
      </p>
    </div>
    <aside v-if="inHand" class="named-panel" aria-label="A finding">
      <FindingPanel :found="inHand" :place="place(inHand)" :writable="writable" @ask="ask" @done="done" />
    </aside>
  </div>
</template>

<style scoped>
.findings {
  height: 100%;
  display: grid;
  grid-template: auto auto 1fr / minmax(0, 1fr);
}
.panelled {
  grid-template-columns: minmax(0, 1fr) 372px;
}
@media (max-width: 859px) {
  .findings.panelled {
    grid-template: auto auto minmax(0, 1fr) minmax(0, 1.5fr) / minmax(0, 1fr);
  }
}
.spring {
  flex: 1;
}
.since {
  width: 190px;
}
.by {
  width: 136px;
}
.panelled .named-head {
  flex-wrap: wrap;
}
.weight {
  border-bottom: 3px solid transparent;
}
.on {
  border-bottom: 3px solid var(--depth-5);
}
.extent {
  position: relative;
}
.head {
  position: absolute;
  inset: 0 0 auto;
  display: flex;
  align-items: end;
  padding: 0 16px 5px;
  font-weight: 650;
  font-size: 13px;
  border-bottom: 1px solid var(--ink);
}
.row {
  position: absolute;
  inset: 0 0 auto;
  height: 46px;
  grid-template-columns: 150px minmax(140px, 0.8fr) minmax(200px, 2fr);
  gap: 14px;
}
.panelled .row {
  grid-template-columns: 130px minmax(120px, 0.8fr) minmax(160px, 1.4fr);
}
.what.warning,
.weight.warning {
  color: var(--warning);
}
.what.error,
.weight.error {
  color: var(--error);
}
.what.note,
.weight.note {
  color: var(--soft);
}
.where {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.text {
  font-size: 13px;
  line-height: 1.3;
  display: -webkit-box;
  -webkit-line-clamp: 2;
  -webkit-box-orient: vertical;
  overflow: hidden;
}
.empty {
  padding: 24px 16px;
}
</style>
