<script setup lang="ts">
/** Verify: many flows at once, from a file. What decides each of them? */
import { computed, onMounted, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { Problem, type Shapes } from '@/api/client'
import { decideFlows } from '@/api/policies'
import LineCode from '@/chart/LineCode.vue'
import { courseOfVerdict } from '@/chart/courses'
import { siftFlows } from '@/places/verify/flows'
import { useLongList } from '@/ui/longList'
import { counted, figure } from '@/words'
import { useFrame } from '@/frame/frame'
import ChoiceField from '@/ui/ChoiceField.vue'
import FileField from '@/ui/FileField.vue'
import { useNoteAt } from '@/editing/unsaved'

const ROW_PX = 30
const PAUSE_MS = 300
const HINT =
  'src,dst,proto,sport,dport,icmp_type,icmp_code,at\n10.44.60.20,10.44.30.10,tcp,50000,502,,,\n10.44.60.20,10.44.30.10,icmp,,,8,0,\n10.44.97.5,10.44.99.20,tcp,50000,443,,,sat 00:15'

const { id: network, network: whole, revision } = useFrame()
const route = useRoute()
const router = useRouter()
/** 0: through the whole network. */
const policyId = computed(() => Number(route.params.policy) || 0)
const text = useNoteAt(`flows ${network.value}`)
/** The moment that is meant where a flow tells none. */
const at = ref('')
const called = ref('')
const told = ref<Shapes['DecidedFlows'] | null>(null)
const problem = ref('')
const busy = ref(false)
const sieve = ref('')
const only = ref<string | null>(null)
let asking: AbortController | undefined
let timer = 0

async function decide(): Promise<void> {
  asking?.abort()
  problem.value = ''
  if (!text.value.trim()) {
    told.value = null
    return
  }
  const mine = (asking = new AbortController())
  busy.value = true
  try {
    told.value = await decideFlows(network.value, policyId.value, text.value, at.value, mine.signal)
    only.value = null
  } catch (error) {
    if (!(error instanceof Problem)) return
    told.value = null
    problem.value = error.problems[0]?.message ?? error.detail
  } finally {
    if (asking === mine) busy.value = false
  }
}
watch([text, at, policyId, revision], () => {
  clearTimeout(timer)
  timer = window.setTimeout(decide, PAUSE_MS)
})
onMounted(decide) // what was written when one was last here

async function read(file: File): Promise<void> {
  called.value = file.name
  text.value = await file.text()
}

const columns = computed(() => told.value?.columns ?? [])
const given = computed(() => columns.value.length - (told.value?.results ?? 3))
const through = computed(() => (told.value?.results ?? 3) > 3)
const shown = computed(() => siftFlows(told.value?.rows ?? [], given.value, only.value, sieve.value))
const keyOf = (d: Shapes['Decider']) => `${d.verdict}\t${d.rule.name}\t${d.policy}`

function deciderOf(d: Shapes['Decider']): string {
  const name = d.rule.position ? `${d.rule.position} ${d.rule.name}` : d.policy ? 'otherwise' : d.rule.name
  return through.value && d.policy ? `${name} in ${d.policy}` : name
}
function asked(flow: readonly string[]): void {
  const of = (name: string) => flow[columns.value.indexOf(name)]?.trim() ?? ''
  const ports = of('dport') || (of('icmp_type') && `${of('icmp_type')}.${of('icmp_code')}`)
  const at = of('at') ? ` at ${of('at')}` : ''
  const q = `${of('src')} to ${of('dst')} on ${of('proto').toLowerCase()}${ports && `/${ports}`}${at}`
  void router.push({ name: 'question', params: { network: network.value }, query: { ...route.query, q } })
}

const list = useLongList({
  lines: () => shown.value,
  key: (_, index) => index,
  height: () => ROW_PX,
  overscan: 12,
})

function download(): void {
  const link = document.createElement('a')
  link.href = URL.createObjectURL(new Blob([told.value!.csv], { type: 'text/csv' }))
  link.download = `${called.value.replace(/\.csv$/i, '') || 'flows'}-decided.csv`
  link.click()
  URL.revokeObjectURL(link.href)
}
</script>

<template>
  <div class="verify">
    <header class="head">
      <h1>Verify</h1>
      <span class="soft">what becomes of each of many flows, and which rule decides it</span>
    </header>
    <p v-if="whole && !whole.policies.length" class="none soft">
      This network has no policy yet, so there is no rule that could decide a flow.
    </p>
    <form v-else class="given" @submit.prevent="decide">
      <div class="worded">
        <span aria-hidden="true">Through</span>
        <ChoiceField
          quiet
          inline
          label="Through the network, or a policy"
          :items="[
            { title: 'the whole network', value: 0 },
            ...(whole?.policies ?? []).map((p) => ({ title: p.name, value: p.id })),
          ]"
          :model-value="policyId"
          @update:model-value="
            router.replace({ name: 'verify', params: { network, policy: $event || '' }, query: route.query })
          "
        />
      </div>
      <label
        >at
        <input v-model="at" class="moment" placeholder="now, or sat 03:00" aria-label="At the moment" />
      </label>
      <FileField label="Read flows from a file" accept=".csv,text/csv" @file="read" />
      <span class="soft small">or written here</span>
      <textarea
        v-model="text"
        class="raw"
        rows="5"
        :placeholder="HINT"
        aria-label="Flows as CSV"
        spellcheck="false"
      />
    </form>
    <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
    <template v-if="told">
      <div class="sums" role="toolbar" aria-label="What decided" :class="{ busy }">
        <button
          class="plain sum"
          :class="{ on: only === null }"
          :aria-pressed="only === null"
          @click="only = null"
        >
          <strong>{{ counted(told.total, 'flow') }}</strong>
        </button>
        <button
          v-for="d in told.deciders.slice(0, 40)"
          :key="keyOf(d)"
          class="plain sum"
          :class="{ on: only === keyOf(d) }"
          :aria-pressed="only === keyOf(d)"
          @click="only = only === keyOf(d) ? null : keyOf(d)"
        >
          <LineCode :course="courseOfVerdict(d.verdict)" small class="glyph" />
          <span v-if="d.verdict === 'error'" class="warning">no flow</span>
          <span v-else>{{ deciderOf(d) }}</span>
          <span class="soft">{{ figure(d.flows) }}</span>
        </button>
        <input
          v-model="sieve"
          type="search"
          class="find"
          placeholder="find in the rows"
          aria-label="Find in the rows"
        />
        <button class="link" @click="download">download as CSV</button>
      </div>
      <div
        :ref="(element) => (list.scroller.value = element as HTMLElement)"
        class="rows"
        role="table"
        aria-label="Flows"
        tabindex="0"
      >
        <div class="row heads" role="row" :style="{ '--columns': given }">
          <span role="columnheader">verdict</span><span role="columnheader">by</span>
          <span v-for="c in columns.slice(0, given)" :key="c" role="columnheader">{{ c }}</span>
        </div>
        <div class="extent" :style="{ height: `${list.total.value}px` }">
          <div
            v-for="{ line: flow, key, style } in list.drawn.value"
            :key="key"
            class="row"
            role="row"
            :style="{ ...style, '--columns': given }"
          >
            <span role="cell" class="verdict"
              ><LineCode :course="courseOfVerdict(flow[given]!)" small class="glyph" />
              <button
                v-if="through && flow[given] !== 'error'"
                class="link"
                title="Its course, place by place"
                @click="asked(flow)"
              >
                {{ flow[given] }}</button><template v-else>{{ flow[given] }}</template></span
            >
            <span
              role="cell"
              :title="flow.slice(given + 1).join(' · ')"
              :class="{ warning: flow[given] === 'error' }"
              >{{ flow[given + 1] === 'default' ? 'otherwise' : flow[given + 1] }}
              <span v-if="through && flow[given + 3]" class="soft">{{ flow[given + 3] }}</span></span
            >
            <span v-for="(cell, column) in flow.slice(0, given)" :key="column" role="cell" class="raw">{{
              cell
            }}</span>
          </div>
        </div>
      </div>
      <p v-if="told.total > told.rows.length" class="soft small">
        The first {{ figure(told.rows.length) }} are shown; the download has all.
      </p>
    </template>
  </div>
</template>

<style scoped>
.none {
  padding: 0 16px;
}
.moment {
  width: 130px;
  padding: 3px 6px;
  font: inherit;
  color: inherit;
  background: var(--sheet);
  border: 1px solid var(--hair);
}
.verify {
  height: 100%;
  display: flex;
  flex-direction: column;
  gap: 8px;
  padding: 13px 16px;
}
.head,
.given,
.sums {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 6px 18px;
}
textarea {
  width: 100%;
  padding: 6px 8px;
  color: inherit;
  background: var(--sheet);
  border: 1px solid var(--hair);
  border-radius: 2px;
  resize: vertical;
}
select {
  padding: 3px 6px;
  color: inherit;
  background: var(--sheet);
  border: 1px solid var(--hair);
  border-radius: 2px;
}
.sums {
  align-items: center;
  padding: 6px 0;
  border-bottom: 1px solid var(--hair);
  max-height: 132px;
  overflow-y: auto;
}
.sums.busy {
  opacity: 0.6;
}
.sum {
  display: inline-flex;
  gap: 7px;
  align-items: center;
  padding: 2px 0;
  border-bottom: 2px solid transparent;
  font-size: 13.5px;
}
.sum.on {
  border-bottom-color: var(--depth-5);
}
.rows {
  flex: 1;
  min-height: 0;
  overflow: auto;
}
.extent {
  position: relative;
}
.row {
  position: absolute;
  inset: 0 0 auto;
  height: 30px;
  display: grid;
  grid-template-columns: 132px minmax(220px, 2fr) repeat(var(--columns), minmax(96px, 1fr));
  gap: 12px;
  align-items: center;
  border-bottom: 1px solid var(--hair);
  font-size: 13px;
}
.row > * {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.row.heads {
  position: sticky;
  top: 0;
  z-index: 1;
  background: var(--paper);
  color: var(--soft);
}
.glyph {
  width: 46px;
  flex: none;
}
.verdict {
  display: inline-flex;
  gap: 8px;
  align-items: center;
}
</style>
