<script setup lang="ts">
/** Editions: what was kept, what exactly differs between two of them or the draft, and how do we get back? */
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { Problem } from '@/api/client'
import { useComparison, useEditions, useNetworkEdits } from '@/api/queries'
import ConsequenceList from '@/components/ConsequenceList.vue'
import { useFrame } from '@/state/frame'
import { useSession } from '@/state/session'

const { id: network, revision } = useFrame()
const session = useSession()
const route = useRoute()
const router = useRouter()
const edits = useNetworkEdits(network)
const { data: listed, error } = useEditions(network, revision)
const editions = computed(() => listed.value?.editions ?? [])
const writable = computed(() => session.me !== null && session.me.role !== 'viewer')

/** What is compared stands in the address: a number, or nothing for the draft. */
const side = (key: 'before' | 'after') => {
  const value = route.query[key]
  return typeof value === 'string' && /^\d+$/.test(value) ? Number(value) : null
}
const before = computed(
  () => side('before') ?? (route.query.before ? null : (editions.value[0]?.number ?? null)),
)
const after = computed(() => side('after'))
const {
  data: told,
  isFetching,
  error: failed,
} = useComparison(
  network,
  revision,
  before,
  after,
  computed(() => editions.value.length > 0),
)

function compare(sides: { before?: string; after?: string }): void {
  const named = Object.entries(sides).map(([key, value]) => [key, value || 'draft'])
  void router.replace({ query: { ...route.query, ...Object.fromEntries(named) } })
}
function name(number: number | null): string {
  return number === null ? 'the draft' : `edition ${number}`
}

const comment = ref('')
const problem = ref('')
const busy = ref(false)
async function act(what: () => Promise<unknown>): Promise<void> {
  busy.value = true
  problem.value = ''
  try {
    await what()
  } catch (error) {
    if (!(error instanceof Problem)) throw error
    problem.value = error.problems[0]?.message ?? error.detail
  } finally {
    busy.value = false
  }
}
function make(): Promise<void> {
  return act(async () => {
    await edits.makeEdition.mutateAsync(comment.value)
    comment.value = ''
  })
}

const sure = ref(false)
watch([before, after, told], () => (sure.value = false))
/** The draft can become the other side, once it has been seen what that does. */
const back = computed(() => (before.value === null && after.value !== null ? after.value : null))
function restore(): Promise<void> {
  return act(async () => {
    await edits.restoreEdition.mutateAsync({ number: back.value!, revision: told.value!.revision })
    sure.value = false
  })
}

function when(at: string): string {
  return new Date(at).toLocaleString([], { dateStyle: 'medium', timeStyle: 'short' })
}
function ask(q: string): void {
  void router.replace({ query: { ...route.query, q } })
}
const effect = computed(() =>
  told.value ? { generation: 0, problems: [], look: null, come: [], go: [], ...told.value } : null,
)
</script>

<template>
  <div class="editions">
    <header class="named-head">
      <h1>Editions</h1>
      <span class="soft">{{
        editions.length ? `${editions.length} kept, none of them changes` : 'nothing is kept yet'
      }}</span>
    </header>
    <section class="kept" aria-label="Editions kept">
      <form v-if="writable" class="make" @submit.prevent="make">
        <label for="edition-why" class="small"
          >Keep the draft as edition {{ (editions[0]?.number ?? 0) + 1 }}</label
        >
        <textarea id="edition-why" v-model="comment" rows="2" placeholder="what for" />
        <v-btn type="submit" color="primary" :loading="busy" :disabled="!comment.trim()">Keep it</v-btn>
      </form>
      <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
      <ol>
        <li v-for="e in editions" :key="e.number" :class="{ on: e.number === before || e.number === after }">
          <div>
            <strong>{{ e.number }}</strong> {{ e.comment }}
          </div>
          <div class="soft small">{{ e.person || 'at import' }}, {{ when(e.made_at) }}</div>
          <div class="small acts">
            <button class="link" @click="compare({ before: String(e.number), after: '' })">since then</button>
            <a class="link" :href="`/api/networks/${network}/editions/${e.number}/document`" download
              >document</a
            >
            <span class="raw soft" :title="e.root">{{ e.root.slice(0, 12) }}</span>
          </div>
        </li>
      </ol>
    </section>
    <section class="compared" aria-label="Comparison">
      <div v-if="editions.length" class="sides">
        <label
          >From
          <select
            aria-label="Compare from"
            :value="before ?? ''"
            @change="compare({ before: ($event.target as HTMLSelectElement).value })"
          >
            <option value="">the draft</option>
            <option v-for="e in editions" :key="e.number" :value="e.number">edition {{ e.number }}</option>
          </select>
        </label>
        <label
          >to
          <select
            aria-label="Compare to"
            :value="after ?? ''"
            @change="compare({ after: ($event.target as HTMLSelectElement).value })"
          >
            <option value="">the draft</option>
            <option v-for="e in editions" :key="e.number" :value="e.number">edition {{ e.number }}</option>
          </select>
        </label>
        <template v-if="back !== null && writable && told && told.differences.length">
          <v-btn v-if="!sure" variant="outlined" @click="sure = true">Bring edition {{ back }} back</v-btn>
          <v-btn v-else color="primary" :loading="busy" @click="restore">Really, as below</v-btn>
        </template>
      </div>
      <p v-if="failed" class="problem" role="alert">{{ failed.message }}</p>
      <div v-else-if="told && effect" class="told" :class="{ stale: isFetching }" data-testid="comparison">
        <p v-if="!told.differences.length">
          Nothing differs between {{ name(before) }} and {{ name(after) }}.
        </p>
        <template v-else>
          <h2>What differs</h2>
          <ul>
            <li v-for="d in told.differences" :key="d.section + d.name">
              {{ d.name }}
              <span class="soft"
                >{{ d.section.replace('_', ' ') }}, {{ d.change }}{{ d.what.length ? ':' : '' }}</span
              >
              {{ d.what.join(', ') }}
            </li>
          </ul>
          <h2>What that does</h2>
          <p v-if="told.equal">Same effect, proven.</p>
          <ConsequenceList v-else :told="effect" :stale="isFetching" named :few="60" @ask="ask" />
          <template v-if="told.outside.length">
            <p class="warning">This differs, too; its effect on the network is not told yet:</p>
            <ul>
              <li v-for="text in told.outside" :key="text">{{ text }}</li>
            </ul>
          </template>
          <p v-if="!told.complete" class="warning">More may change than is told.</p>
        </template>
      </div>
      <p v-else-if="!editions.length" class="soft">
        An edition keeps the draft as it is, for ever. Later it can be compared with the draft or with
        another, packet by packet, and brought back.
      </p>
    </section>
    <p v-if="error" class="problem" role="alert">{{ error.message }}</p>
  </div>
</template>

<style scoped>
.editions {
  height: 100%;
  display: grid;
  grid-template: auto 1fr / 300px minmax(0, 1fr);
}
.named-head {
  grid-column: 1 / -1;
  border-bottom: 1px solid var(--hair);
}
.kept {
  overflow-y: auto;
  padding: 12px 16px;
  border-right: 1px solid var(--hair);
}
.make {
  display: flex;
  flex-direction: column;
  gap: 6px;
  align-items: flex-start;
  margin-bottom: 12px;
}
.make textarea {
  width: 100%;
  padding: 6px 8px;
  font: inherit;
  color: inherit;
  background: var(--sheet);
  border: 1px solid var(--hair);
}
ol,
ul {
  list-style: none;
  padding: 0;
}
.kept li {
  padding: 8px 0 8px 8px;
  border-top: 1px solid var(--hair);
  border-left: 3px solid transparent;
}
.kept li.on {
  border-left-color: var(--depth-5);
}
.acts {
  display: flex;
  gap: 14px;
}
.compared {
  overflow-y: auto;
  padding: 14px 20px;
}
.sides {
  display: flex;
  gap: 14px;
  align-items: center;
  margin-bottom: 12px;
}
.sides select {
  padding: 3px 6px;
  font: inherit;
  color: inherit;
  background: var(--sheet);
  border: 1px solid var(--hair);
}
.told {
  max-width: 760px;
}
.told.stale {
  opacity: 0.5;
}
.told h2 {
  margin: 14px 0 4px;
}
.told li {
  padding: 2px 0;
}
</style>
