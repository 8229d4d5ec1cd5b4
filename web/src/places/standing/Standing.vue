<script setup lang="ts">
/** The home: is the network as it should be? Every line leads to its place. */
import { computed, onBeforeUnmount, ref } from 'vue'
import { useRouter } from 'vue-router'
import { useReachChanges } from '@/api/allSegments'
import { useExpectations } from '@/api/expectations'
import { useGround } from '@/api/ground'
import { useFindings } from '@/api/findings'
import { isLong } from '@/api/policies'
import { useAudit, useReleases } from '@/api/releases'
import { useSchedules } from '@/api/schedules'
import { useSession } from '@/api/session'
import { useStanding } from '@/api/standing'
import { useFrame } from '@/frame/frame'
import { aheadOf, reach, underWay } from '@/places/editions/releases'
import FirstNetwork from '@/places/standing/FirstNetwork.vue'
import RuleEnding from '@/places/standing/RuleEnding.vue'
import SafeRepairs from '@/places/standing/SafeRepairs.vue'
import ReleaseUnderWay from '@/places/standing/ReleaseUnderWay.vue'
import { byDraft, endingSoon, headline } from '@/places/standing/glance'
import { inOrder, isBad } from '@/places/verify/holding'
import VerdictLine from '@/places/verify/VerdictLine.vue'
import { dateOf, moment } from '@/ui/dates'
import { counted, listed, mustSentence } from '@/words'

const FEW = 6
const SOON_DAYS = 14

const { id: network, network: told, revision } = useFrame()
const session = useSession()
const router = useRouter()
const { data: held, error } = useExpectations(network, revision)
const { data: standing } = useStanding(network, revision)
const { data: releases } = useReleases(network)
const { data: changes } = useReachChanges(network, ref('any'), ref(''), revision)
const { data: found } = useFindings(network, revision)
const findings = computed(() => found.value?.filter((f) => !f.accepted))
const { data: schedules } = useSchedules(network, revision)
const { data: ground } = useGround(network, revision)
const { data: audit } = useAudit(network, ref(''), ref(false), ref(null))

const all = computed(() => inOrder(held.value?.expectations ?? []))
const bad = computed(() => all.value.filter((e) => isBad(e.verdict)))
const holding = computed(() => all.value.filter((e) => e.verdict === 'kept').length)
const head = computed(() => (held.value ? headline(all.value) : null))
const writable = computed(() => session.writes)

const way = computed(() => underWay(releases.value))
const releasing = computed(() => ['releaser', 'administrator'].includes(session.role))
const ahead = computed(() => aheadOf(releases.value, revision.value))
const draft = computed(() => byDraft(all.value, standing.value?.in_force))
const draftWords = computed(() =>
  [
    draft.value.mends.length && `mend ${quote(draft.value.mends)}`,
    draft.value.breaks.length && `break ${quote(draft.value.breaks)}`,
  ]
    .filter(Boolean)
    .join(' and '),
)
function quote(names: readonly string[]): string {
  return listed(names.map((name) => `“${name}”`))
}
const pairs = computed(() => {
  const some = changes.value?.pairs ?? []
  const line = (kind: 'opens' | 'closes' | 'otherwise', word: string, tone: string) =>
    some
      .filter((p) => p[kind].length)
      .map((p) => ({ ...p, word, tone, services: p[kind], key: `${kind} ${p.source} ${p.destination}` }))
  return [
    ...line('opens', 'Opens', 'allow'),
    ...line('closes', 'Closes', 'drop'),
    ...line('otherwise', 'Changes', 'undecided'),
  ]
})

/** The policies with rules that decide nothing where they stand, or nothing of their own. */
const overgrown = computed(() => {
  const dead = (findings.value ?? []).filter((f) => ['shadowed', 'redundant'].includes(f.kind))
  const ids = new Set(dead.map((f) => f.policy_id))
  return (told.value?.policies ?? []).filter((p) => ids.has(p.id))
})

/** What else is worth doing, by what it is. */
const repairs = computed(() => {
  const of = (...kinds: string[]) => (findings.value ?? []).filter((f) => kinds.includes(f.kind))
  const told = (kinds: string[], words: (n: number) => string) => {
    const found = of(...kinds)
    return found.length ? [{ kind: kinds[0]!, words: words(found.length) }] : []
  }
  return [
    ...told(['unused'], (n) => `${counted(n, 'name')} nobody uses`),
    ...told(['duplicate'], (n) => `${counted(n, 'name')} that mean the same as another`),
    ...told(['expired'], (n) => `${counted(n, 'rule')} that will never be active again`),
    ...told(
      ['exposed management'],
      (n) => `${counted(n, 'device')} of which it is told who reaches their management`,
    ),
  ]
})
const weights = computed(() =>
  (['error', 'warning', 'note'] as const)
    .map((w) => ({ weight: w, count: (findings.value ?? []).filter((f) => f.weight === w).length }))
    .filter((w) => w.count),
)

const soon = computed(() =>
  endingSoon(all.value, schedules.value?.schedules ?? [], dateOf(new Date()), SOON_DAYS),
)

// What others and I did since this page was last left.
const KEY = `sarvex last here ${network.value}`
const lastHere = localStorage.getItem(KEY) ?? ''
onBeforeUnmount(() => localStorage.setItem(KEY, new Date().toISOString()))
const since = computed(() => {
  const entries = audit.value ?? []
  const fresh = lastHere ? entries.filter((e) => e.at > lastHere) : entries
  return { fresh: fresh.length > 0, entries: (fresh.length ? fresh : entries).slice(0, FEW) }
})

/** Nothing is there yet, and somebody may begin. */
const beginning = computed(
  () =>
    writable.value &&
    ground.value !== undefined &&
    told.value !== undefined &&
    !ground.value.segments.length &&
    !ground.value.devices.length &&
    !told.value.policies.length,
)

/** What a network without ground, rules or expectations wants next. */
const next = computed(() => {
  if (!ground.value || !told.value) return []
  return [
    !ground.value.segments.length && { words: 'tell its segments and what is on them', to: 'ground' },
    !ground.value.devices.length && { words: 'tell the devices between them', to: 'ground' },
    !told.value.policies.length && { words: 'write a first policy', to: 'policies' },
    held.value &&
      !all.value.length && {
        words: 'write what must hold, or paste the table of who may reach whom',
        to: 'holds',
      },
  ].filter((step): step is { words: string; to: string } => Boolean(step))
})

function ask(q: string): void {
  void router.push({ name: 'question', params: { network: network.value }, query: { q } })
}
</script>

<template>
  <FirstNetwork v-if="beginning" />
  <div v-else class="standing">
    <header class="head">
      <ReleaseUnderWay v-if="way && releases" :release="way" :told="releases" :may="releasing" />
      <h1 v-if="head" :class="{ bad: bad.length > 0 }">
        {{ head.word }} <span>{{ head.rest }}</span>
      </h1>
      <h1 v-else-if="!error">Being worked out…</h1>
      <p v-if="error" class="problem" role="alert">{{ error.message }}</p>
      <p v-if="reach(releases)" class="warning">{{ reach(releases) }}.</p>
      <p v-if="standing?.otherwise.length" class="warning" data-testid="otherwise">
        Tried, and not as told:
        <template v-for="(one, n) in standing.otherwise.slice(0, FEW)" :key="one.packet"
          ><template v-if="n">; </template
          ><button type="button" class="link" @click="ask(one.packet)">{{ one.packet }}</button>
          {{ one.worked ? 'worked' : 'did not work' }}</template
        >.
        <router-link class="link" :to="{ name: 'try', params: { network } }">To try</router-link>
      </p>
      <p v-if="draftWords" class="soft">The draft would {{ draftWords }}.</p>
    </header>
    <div class="columns">
      <div class="main">
        <section v-if="next.length" aria-labelledby="next">
          <h2 id="next">What comes next</h2>
          <ul class="plain-list">
            <li v-for="step in next" :key="step.words">
              <router-link class="link" :to="{ name: step.to, params: { network } }">{{
                step.words
              }}</router-link>
            </li>
          </ul>
        </section>
        <section v-if="all.length" aria-labelledby="holds">
          <h2 id="holds">What must hold</h2>
          <ul class="plain-list">
            <li v-for="one in bad.slice(0, FEW)" :key="one.id" class="held">
              <router-link
                class="called plain"
                :to="{ name: 'holds', params: { network, expectation: one.id } }"
                >{{ one.thing.name }}</router-link
              >
              <VerdictLine :told="one" :must="one.thing.must" :network="network" @ask="ask" />
            </li>
          </ul>
          <p class="soft small">
            <template v-if="bad.length > FEW">and {{ bad.length - FEW }} more; </template>{{ holding }} hold.
            <router-link class="link" :to="{ name: 'holds', params: { network } }"
              >What must hold</router-link
            >
            · <router-link class="link" :to="{ name: 'try', params: { network } }">to try</router-link>
          </p>
        </section>
        <section v-if="releases?.in_force && ahead > 0" aria-labelledby="draft">
          <h2 id="draft">
            What the draft would do
            <span class="soft small">in the network, to what is in force · {{ counted(ahead, 'edit') }}</span>
          </h2>
          <ul class="plain-list">
            <li v-for="pair in pairs.slice(0, FEW)" :key="pair.key" class="pair">
              <strong :class="pair.tone">{{ pair.word }}</strong>
              <span
                >{{ pair.source }} → {{ pair.destination }}{{ pair.itself ? ' itself' : '' }} :
                {{ listed(pair.services) }}</span
              >
            </li>
          </ul>
          <p v-if="changes && !pairs.length" class="soft">
            {{
              changes.complete
                ? 'Nobody reaches more or less than before.'
                : 'Not worked out: it touches too much.'
            }}
          </p>
          <p class="soft small">
            <template v-if="pairs.length > FEW">and {{ pairs.length - FEW }} more · </template>
            <router-link class="link" :to="{ name: 'editions', params: { network, part: 'review' } }"
              >look at the draft</router-link
            >
          </p>
        </section>
        <section v-if="findings && weights.length" aria-labelledby="worth">
          <h2 id="worth">
            Worth doing
            <span class="soft small">{{ weights.map((w) => counted(w.count, w.weight)).join(', ') }}</span>
          </h2>
          <ul class="plain-list">
            <SafeRepairs
              v-for="one in overgrown.filter((p) => !isLong(p)).slice(0, FEW)"
              :key="one.id"
              :network="network"
              :revision="revision"
              :policy="one.id"
              :name="one.name"
              :writable="writable"
            />
            <li v-for="one in overgrown.filter(isLong).slice(0, FEW)" :key="one.id" class="worth">
              <span>{{ one.name }} has rules that decide nothing where they stand</span>
              <router-link class="link" :to="{ name: 'rules', params: { network, policy: one.id } }"
                >look</router-link
              >
            </li>
            <li v-for="one in repairs" :key="one.kind" class="worth">
              <span>{{ one.words }}</span>
              <router-link
                class="link"
                :to="{ name: 'findings', params: { network }, query: { kind: one.kind } }"
                >look</router-link
              >
            </li>
          </ul>
        </section>
      </div>
      <div class="side">
        <section v-if="standing && !standing.large && ground?.devices.length" aria-labelledby="deep">
          <h2 id="deep">Deepest, and nobody speaks for it</h2>
          <ul class="plain-list">
            <li v-for="one in standing.deep" :key="`${one.source} ${one.destination}`">
              <router-link
                class="plain pairing"
                :to="{
                  name: 'holds',
                  params: { network },
                  query: { write: mustSentence(one.source, false, one.destination) },
                }"
                :title="`write that ${one.source} must not reach ${one.destination}`"
                >{{ one.source }} → {{ one.destination }}</router-link
              >
              <span class="soft small">
                {{ one.services.join(', ') }}{{ one.more ? ` and ${one.more} more` : '' }}</span
              >
            </li>
            <li v-if="!standing.deep.length" class="soft">nothing: all that goes inwards is spoken for</li>
          </ul>
          <p class="soft small">
            <template v-if="standing.more">and {{ standing.more }} more · </template>
            <router-link class="link" :to="{ name: 'segments', params: { network } }"
              >all segments</router-link
            >
          </p>
        </section>
        <section v-if="standing?.managed.length" aria-labelledby="manages">
          <h2 id="manages">Who manages the devices</h2>
          <ul class="plain-list">
            <li v-for="one in standing.managed" :key="one.device">
              {{ one.device }}
              <span class="soft">{{
                one.segments.length ? `from ${listed(one.segments)}` : 'from nowhere'
              }}</span>
            </li>
          </ul>
        </section>
      </div>
      <div class="side last">
        <section v-if="since.entries.length" aria-labelledby="since">
          <h2 id="since">{{ since.fresh && lastHere ? 'Since you were here' : 'Lately' }}</h2>
          <ul class="plain-list small">
            <li v-for="entry in since.entries" :key="entry.id">
              <span class="soft">{{ moment(entry.at) }}</span> {{ entry.person }}: {{ entry.act }}
              <span v-if="entry.about">{{ entry.about }}</span>
            </li>
          </ul>
          <p class="small">
            <router-link class="link" :to="{ name: 'editions', params: { network, part: 'audit' } }"
              >all of it</router-link
            >
          </p>
        </section>
        <section v-if="soon.length || standing?.ending.length" aria-labelledby="soon">
          <h2 id="soon">Soon</h2>
          <ul class="plain-list small">
            <RuleEnding
              v-for="one in (standing?.ending ?? []).slice(0, FEW)"
              :key="`rule ${one.rule_id}`"
              :network="network"
              :revision="revision"
              :ending="one"
              :writable="writable"
            />
            <li v-for="one in soon" :key="`${one.what} ${one.id}`">
              <router-link
                class="link"
                :to="{
                  name: one.what,
                  params:
                    one.what === 'holds' ? { network, expectation: one.id } : { network, schedule: one.id },
                }"
                >{{ one.name }}</router-link
              >
              ends on {{ one.on }}
            </li>
          </ul>
        </section>
        <p v-if="writable && all.length" class="small">
          <router-link class="link" :to="{ name: 'holds', params: { network } }"
            >write one more thing that must hold</router-link
          >
        </p>
      </div>
    </div>
  </div>
</template>

<style scoped>
.standing {
  height: 100%;
  overflow-y: auto;
}
.head {
  padding: 16px 16px 14px;
  background: linear-gradient(
    90deg,
    transparent 55%,
    var(--depth-1) 55%,
    var(--depth-1) 70%,
    var(--depth-2) 70%,
    var(--depth-2) 85%,
    var(--depth-3) 85%
  );
  background-size: 100% 100%;
}
.head > * {
  max-width: 54%;
}
h1 {
  font-size: 24px;
}
h1.bad span {
  color: var(--reject);
}
.head p {
  margin-top: 6px;
}
.columns {
  display: grid;
  grid-template-columns: minmax(0, 1.9fr) minmax(0, 1fr) minmax(0, 0.92fr);
  gap: 0 32px;
  padding: 0 16px 24px;
}
section {
  margin-top: 22px;
}
h2 {
  padding-bottom: 5px;
  margin-bottom: 4px;
  border-bottom: 1px solid var(--ink);
}
h2 .small {
  font-weight: 400;
}
.plain-list {
  list-style: none;
  padding: 0;
  margin: 0 0 4px;
}
.plain-list li {
  padding: 4px 0;
  overflow-wrap: anywhere;
}
p > .link,
.worth .link {
  display: inline-block;
  padding: 4px 0;
}
.held {
  padding: 7px 0;
}
.called {
  display: block;
  padding-left: 62px;
  font-weight: 650;
}
.pair {
  display: grid;
  grid-template-columns: 70px 1fr;
}
.allow {
  color: var(--allow);
}
.drop {
  color: var(--drop);
}
.undecided {
  color: var(--undecided);
}
.worth {
  display: flex;
  justify-content: space-between;
  gap: 12px;
}
.pairing {
  margin-right: 8px;
}
.pairing:hover {
  text-decoration: underline;
}
@media (max-width: 1100px) {
  .columns {
    grid-template-columns: minmax(0, 1.6fr) minmax(0, 1fr);
  }
  .last {
    grid-column: 2;
  }
  .main {
    grid-row: 1 / 3;
  }
}
@media (max-width: 859px) {
  .columns {
    grid-template-columns: minmax(0, 1fr);
  }
  .last,
  .main {
    grid-column: 1;
    grid-row: auto;
  }
  .head > * {
    max-width: none;
  }
}
</style>
