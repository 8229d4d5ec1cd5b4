<script setup lang="ts">
/** The frame: the ask line on top, the places at the left, the place itself. */
import { computed, ref, watchEffect } from 'vue'
import { useRoute } from 'vue-router'
import { useTheme } from 'vuetify'
import { Problem } from '@/api/client'
import { useNetworkEdits } from '@/api/networkEdits'
import { useReleases } from '@/api/releases'
import AskLine from '@/frame/AskLine.vue'
import PeekCard from '@/frame/PeekCard.vue'
import PinnedList from '@/frame/PinnedList.vue'
import WorkingLine from '@/frame/WorkingLine.vue'
import { aheadOf, fate, reach, underWay } from '@/places/editions/releases'
import { useServerClock } from '@/places/editions/serverClock'
import { provideFrame } from '@/frame/frame'
import { useSession } from '@/api/session'
import KeySheet from '@/ui/KeySheet.vue'
import { nextPane, useKeys } from '@/ui/keys'
import { inTurn } from '@/ui/turn'
import { mayLeave } from '@/editing/unsaved'
import { DAY, NIGHT, storeTheme } from '@/theme'

const SAID_MS = 5000

const route = useRoute()
const session = useSession()
const theme = useTheme()
const id = computed(() => Number(route.params.network))
const { network, names, error } = provideFrame(id)

function toggleTheme(): void {
  const next = theme.global.name.value === DAY ? NIGHT : DAY
  theme.change(next)
  storeTheme(next)
}

// A title that tells one window of it from another.
const PLACES: Record<string, string> = {
  standing: 'Standing',
  ground: 'Ground',
  names: 'Names',
  schedules: 'Schedules',
  policies: 'Rules',
  rules: 'Rules',
  question: 'Question',
  verify: 'Verify',
  segments: 'All segments',
  holds: 'What must hold',
  try: 'To try',
  editions: 'Editions',
  findings: 'Findings',
}
watchEffect(() => {
  const policy = network.value?.policies.find((p) => String(p.id) === route.params.policy)?.name
  const place = PLACES[String(route.name)]
  const told = route.name === 'rules' ? [policy ?? place] : policy ? [place, policy] : [place]
  document.title = [...told, network.value?.name, 'Sarvex'].filter(Boolean).join(' · ')
})

// A release under way is told wherever one is; the home tells more of it.
const { data: releases } = useReleases(id)
const release = computed(() => underWay(releases.value))
const ahead = computed(() => aheadOf(releases.value, network.value?.revision ?? 0))
const now = useServerClock(computed(() => releases.value?.now))

// Back and forth in one's own changes, wherever one is, except while writing in a field.
const edits = useNetworkEdits(id)
const said = ref('')
let fading = 0

async function step(way: 'undo' | 'redo'): Promise<void> {
  try {
    const done = await inTurn(() => edits[way].mutateAsync())
    said.value = `${way === 'undo' ? 'Undone' : 'Done again'}: ${done.act}`
  } catch (error) {
    said.value = error instanceof Problem ? error.detail : String(error)
  }
  clearTimeout(fading)
  fading = window.setTimeout(() => (said.value = ''), SAID_MS)
}

useKeys('Everywhere', [
  { on: ['F6'], says: 'the next part of the page', act: () => nextPane() },
  { on: ['Shift+F6'], act: () => nextPane(true) },
  { on: ['Ctrl+z'], says: 'undo', act: () => step('undo') },
  { on: ['Ctrl+Shift+z', 'Ctrl+y'], says: 'redo', act: () => step('redo') },
])

const verifying = computed(() =>
  ['question', 'verify', 'segments', 'holds', 'try'].includes(String(route.name)),
)

const keySheet = ref<InstanceType<typeof KeySheet>>()
/** The policy that Tab stops at: the one that is open, or the first. */
const stopAt = computed(() =>
  Math.max(0, network.value?.policies.findIndex((p) => String(p.id) === route.params.policy) ?? 0),
)

/** One stop for all policies: the arrows go from one to the next. */
function alongPolicies(event: KeyboardEvent): void {
  const step = { ArrowDown: 1, ArrowUp: -1 }[event.key]
  if (!step) return
  const links = [...(event.currentTarget as HTMLElement).querySelectorAll<HTMLElement>('a')]
  const next = links[links.indexOf(document.activeElement as HTMLElement) + step]
  if (!next) return
  next.focus()
  event.preventDefault()
}

function toPlace(): void {
  const place = document.querySelector('.content')
  const stop = place?.querySelector<HTMLElement>('[data-stop][tabindex="0"]')
  ;(stop ?? place?.querySelector<HTMLElement>('a[href], button, input, [tabindex="0"]'))?.focus()
}

async function signOut(): Promise<void> {
  if (!(await mayLeave())) return
  await session.signOut()
  location.assign('/sign-in')
}
</script>

<template>
  <div class="frame">
    <button class="skip" @click="toPlace">To the place itself</button>
    <header class="band">
      <router-link to="/?all" class="mark plain" aria-label="Sarvex, all networks"
        >Sar<span class="v">v</span>ex</router-link
      >
      <AskLine />
      <v-menu location="bottom end">
        <template #activator="{ props }">
          <button class="plain who" v-bind="props">
            draft <span class="revision">{{ ahead > 0 ? `+${ahead}` : '' }}</span>{{
              releases?.in_force ? ` on edition ${releases.in_force}` : ''
            }}<span v-if="reach(releases)" class="revision" data-testid="reach">
              ({{ reach(releases) }})</span
            >
            <span class="person">{{ session.me?.name }}</span>
          </button>
        </template>
        <v-list density="compact">
          <v-list-item @click="step('undo')">Undo <kbd>Ctrl Z</kbd></v-list-item>
          <v-list-item @click="step('redo')">Redo <kbd>Ctrl Shift Z</kbd></v-list-item>
          <v-list-item @click="toggleTheme">{{
            theme.global.name.value === DAY ? 'Night chart' : 'Day chart'
          }}</v-list-item>
          <v-list-item :to="{ name: 'people' }">{{
            session.role === 'administrator' ? 'People and password' : 'Password and sessions'
          }}</v-list-item>
          <v-list-item :href="`/api/networks/${id}/document`" download>Download as a document</v-list-item>
          <v-list-item @click="keySheet?.show()">Keys <kbd>?</kbd></v-list-item>
          <v-list-item @click="signOut">Sign out</v-list-item>
        </v-list>
      </v-menu>
    </header>
    <nav class="places" aria-label="Places" data-pane>
      <div class="network">{{ network?.name }}</div>
      <router-link
        class="place plain"
        :to="{ name: 'standing', params: { network: id }, query: { q: route.query.q } }"
        >Standing</router-link
      >
      <router-link
        class="place plain"
        :to="{ name: 'ground', params: { network: id }, query: { q: route.query.q } }"
        >Ground</router-link
      >
      <router-link
        class="place plain"
        :class="{ current: route.name === 'schedules' }"
        :to="{ name: 'names', params: { network: id }, query: { q: route.query.q } }"
        >Names</router-link
      >
      <router-link
        class="place plain"
        :class="{ current: route.name === 'rules' }"
        :to="{ name: 'policies', params: { network: id }, query: { q: route.query.q } }"
        >Rules</router-link
      >
      <div class="policies" @keydown="alongPolicies">
        <router-link
          v-for="(policy, i) in network?.policies"
          :key="policy.id"
          class="policy plain"
          :tabindex="stopAt === i ? 0 : -1"
          :to="{ name: 'rules', params: { network: id, policy: policy.id }, query: { q: route.query.q } }"
        >
          <span class="called">{{ policy.name }}</span>
          <span v-if="policy.warnings" class="count" :title="`${policy.warnings} warnings`">{{
            policy.warnings
          }}</span>
        </router-link>
        <router-link
          v-if="session.writes"
          class="policy plain"
          active-class=""
          :tabindex="network?.policies.length ? -1 : 0"
          :to="{ name: 'ground', params: { network: id }, query: { add: 'policies' } }"
          >add policy</router-link
        >
      </div>
      <router-link
        class="place plain"
        :class="{ current: verifying }"
        :to="{ name: 'question', params: { network: id }, query: { q: route.query.q } }"
        >Verify</router-link
      >
      <template v-if="verifying">
        <router-link
          class="policy plain"
          :to="{ name: 'question', params: { network: id }, query: { q: route.query.q } }"
          >one question</router-link
        >
        <router-link
          class="policy plain"
          :to="{ name: 'verify', params: { network: id }, query: { q: route.query.q } }"
          >many flows</router-link
        >
        <router-link
          class="policy plain"
          :to="{ name: 'segments', params: { network: id }, query: { q: route.query.q } }"
          >all segments</router-link
        >
        <router-link
          class="policy plain"
          :to="{ name: 'holds', params: { network: id }, query: { q: route.query.q } }"
          >what must hold</router-link
        >
      </template>
      <router-link
        class="place plain"
        :to="{ name: 'findings', params: { network: id }, query: { q: route.query.q } }"
        >Findings</router-link
      >
      <router-link
        class="place plain"
        :to="{ name: 'editions', params: { network: id }, query: { q: route.query.q } }"
        >Editions</router-link
      >
      <PinnedList />
    </nav>
    <main class="content">
      <router-link
        v-if="release && route.name !== 'standing'"
        class="under-way plain"
        :to="{ name: 'editions', params: { network: id, part: 'release' } }"
        role="status"
        >Release {{ release.number }} {{ fate(release, now) }}</router-link
      >
      <p v-if="error && !network" class="problem lost" role="alert">{{ error.message }}</p>
      <div v-else class="here"><router-view /></div>
    </main>
    <PeekCard :names="names" />
    <KeySheet ref="keySheet" />
    <WorkingLine />
    <p v-if="said" class="said" role="status">{{ said }}</p>
  </div>
</template>

<style scoped>
.frame {
  position: fixed;
  inset: var(--away, 0px) 0 0;
  display: grid;
  grid-template: 56px 1fr / 168px 1fr;
}
.skip {
  position: absolute;
  left: 8px;
  top: -60px;
  z-index: 3000;
  padding: 8px 14px;
  color: var(--band-text);
  background: var(--band);
}
.skip:focus {
  top: 8px;
}
.band {
  grid-column: 1 / -1;
  display: flex;
  align-items: center;
  gap: 16px;
  padding: 0 16px;
  background: var(--band);
  color: var(--band-text);
}
.mark {
  font-size: 18px;
  font-weight: 700;
  width: 70px;
}
.v {
  color: #9dc0c9;
}
.who {
  white-space: nowrap;
  font-size: 13.5px;
}
.revision {
  font-weight: 700;
}
.person {
  display: block;
  font-size: 12px;
  color: var(--band-soft);
  text-align: right;
}
.places {
  display: flex;
  flex-direction: column;
  min-height: 0;
  border-right: 1px solid var(--hair);
  padding: 14px 0;
}
.policies {
  flex: 0 1 auto;
  min-height: 60px;
  overflow-y: auto;
  padding-bottom: 6px;
}
.network {
  padding: 0 14px 12px;
  font-size: 12px;
  color: var(--soft);
}
.place {
  display: block;
  padding: 7px 14px 7px 13px;
  border-left: 3px solid transparent;
}
.place.router-link-active,
.place.current {
  font-weight: 700;
  border-left-color: var(--depth-5);
  background: linear-gradient(90deg, var(--depth-1), transparent);
}
.policy {
  display: flex;
  justify-content: space-between;
  gap: 6px;
  padding: 5px 12px 5px 28px;
  font-size: 13px;
  color: var(--soft);
}
.policy:hover {
  color: var(--ink);
}
.policy.router-link-active {
  color: var(--ink);
  font-weight: 650;
  background: var(--depth-1);
}
.called {
  overflow: hidden;
  text-overflow: ellipsis;
}
.count {
  color: var(--warning);
  font-size: 12px;
}
.content {
  min-width: 0;
  min-height: 0;
  position: relative;
}
.content {
  display: flex;
  flex-direction: column;
}
.here {
  flex: 1;
  min-height: 0;
  position: relative;
}
.under-way {
  flex: none;
  padding: 5px 16px;
  font-size: 13.5px;
  color: var(--ink);
  background: var(--selected);
  border-bottom: 1px solid var(--focus);
}
.said {
  position: fixed;
  left: 184px;
  bottom: 14px;
  z-index: 2500;
  padding: 7px 14px;
  color: var(--band-text);
  background: var(--band);
  border-radius: 2px;
}
/* Narrow, or enlarged to twice its size: the places are a strip on top; policies are on a page of their own. */
@media (max-width: 859px) {
  .frame {
    grid-template: 56px auto minmax(0, 1fr) / minmax(0, 1fr);
  }
  .places {
    flex-direction: row;
    padding: 0;
    overflow-x: auto;
    border-right: 0;
    border-bottom: 1px solid var(--hair);
  }
  .place {
    padding: 7px 12px 5px;
    border-left: 0;
    border-bottom: 3px solid transparent;
  }
  .place.router-link-active,
  .place.current {
    border-bottom-color: var(--depth-5);
    background: none;
  }
  .network,
  .policies,
  .places :deep(.pinned) {
    display: none;
  }
  .band {
    gap: 10px;
  }
  .said {
    left: 16px;
  }
}
.lost {
  padding: 24px;
  font-size: 14px;
}
</style>
