<script setup lang="ts">
/** Editions: what is in force, what is in the draft, what exactly differs, who did what when, how do we get back? */
import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { useEditions } from '@/api/editions'
import { useNetworkEdits } from '@/api/networkEdits'
import { useReleases } from '@/api/releases'
import AuditList from '@/places/editions/AuditList.vue'
import DraftReview from '@/places/editions/DraftReview.vue'
import ReleaseForm from '@/places/editions/ReleaseForm.vue'
import ReleaseList from '@/places/editions/ReleaseList.vue'
import ReleaseNeeds from '@/places/editions/ReleaseNeeds.vue'
import VersionsCompared from '@/places/editions/VersionsCompared.vue'
import { moment } from '@/ui/dates'
import { aheadOf, reach } from '@/places/editions/releases'
import { counted } from '@/words'
import { useAct } from '@/editing/act'
import { useFrame } from '@/frame/frame'
import { useSession } from '@/api/session'
import { useNoteAt } from '@/editing/unsaved'

const { id: network, revision } = useFrame()
const session = useSession()
const route = useRoute()
const router = useRouter()
const edits = useNetworkEdits(network)
const { data: listed, error } = useEditions(network, revision)
const { data: told } = useReleases(network)
const editions = computed(() => listed.value?.editions ?? [])
const inForce = computed(() => told.value?.in_force ?? null)
const role = computed(() => session.role)
const writable = computed(() => role.value !== 'viewer')
const releases = computed(() => role.value === 'releaser' || role.value === 'administrator')

const PARTS = [
  { part: '', word: 'What differs' },
  { part: 'review', word: 'Review' },
  { part: 'release', word: 'Release' },
  { part: 'audit', word: 'Who did what' },
] as const
const part = computed(() => (typeof route.params.part === 'string' ? route.params.part : ''))

const since = computed(() => told.value?.releases.find((r) => r.edition === inForce.value)?.began_at)
const standing = computed(() => {
  if (!told.value || !listed.value) return ''
  if (inForce.value === null) return 'nothing is in force yet'
  const ahead = aheadOf(told.value, revision.value)
  const from = since.value ? ` since ${moment(since.value)}` : ''
  const short = reach(told.value) ? `, but ${reach(told.value)}` : ''
  return `edition ${inForce.value} is in force${from}${short}; ${ahead ? `${counted(ahead, 'edit')} in the draft since` : 'the draft is the same'}`
})

const comment = useNoteAt(`edition ${network.value}`)
const { busy, problem, act } = useAct()
function make() {
  return act(async () => {
    await edits.makeEdition.mutateAsync(comment.value)
    comment.value = ''
  })
}
function compare(before: string, after: string): void {
  void router.push({
    name: 'editions',
    params: { network: network.value, part: '' },
    query: { q: route.query.q, before, after },
  })
}
const on = (number: number) =>
  [route.query.before, route.query.after].includes(`edition ${number}`) && part.value === ''
</script>

<template>
  <div class="editions">
    <header class="named-head">
      <h1>Editions</h1>
      <span class="soft">{{ standing }}</span>
    </header>
    <nav class="parts" aria-label="Parts of editions">
      <router-link
        v-for="p in PARTS"
        :key="p.part"
        class="plain"
        :class="{ on: p.part === part }"
        :to="{ name: 'editions', params: { network, part: p.part }, query: { q: route.query.q } }"
        >{{ p.word }}</router-link
      >
    </nav>
    <section v-if="part === ''" class="kept" aria-label="Editions recorded">
      <form v-if="writable" class="make" @submit.prevent="make">
        <label for="edition-why" class="small"
          >Record the draft as edition {{ (editions[0]?.number ?? 0) + 1 }}</label
        >
        <textarea id="edition-why" v-model="comment" class="plain-field" rows="2" placeholder="what for" />
        <v-btn type="submit" variant="outlined" :loading="busy" :disabled="!comment.trim()">Record</v-btn>
      </form>
      <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
      <ol>
        <li v-for="e in editions" :key="e.number" :class="{ on: on(e.number) }">
          <div>
            <strong>{{ e.number }}</strong> {{ e.comment }}
            <span v-if="e.number === inForce" class="in-force" :title="reach(told)">{{
              reach(told) ? 'in force, not everywhere' : 'in force'
            }}</span>
          </div>
          <div class="soft small">{{ e.person || 'the command line' }}, {{ moment(e.made_at) }}</div>
          <div class="small acts">
            <button class="link" @click="compare(`edition ${e.number}`, 'draft')">since then</button>
            <a class="link" :href="`/api/networks/${network}/editions/${e.number}/document`" download
              >document</a
            >
          </div>
          <div class="raw soft" :title="e.root">{{ e.root.slice(0, 24) }}</div>
        </li>
      </ol>
      <p v-if="listed && !editions.length" class="soft">
        An edition keeps the draft as it is, for ever. Later it can be compared with the draft or with
        another, packet by packet, brought into force, and brought back.
      </p>
    </section>
    <div v-if="told" class="part" :class="{ whole: part !== '' }">
      <VersionsCompared v-if="part === ''" :editions="editions" :in-force="inForce" :writable="writable" />
      <DraftReview v-else-if="part === 'review'" :in-force="inForce" />
      <div v-else-if="part === 'release'" class="release-part">
        <ReleaseForm :editions="editions" :told="told" :may="releases" />
        <div>
          <ReleaseList :told="told" :may="releases" />
          <ReleaseNeeds :settings="told.settings" :may="role === 'administrator'" :releases="releases" />
        </div>
      </div>
      <AuditList v-else />
    </div>
    <p v-if="error" class="problem" role="alert">{{ error.message }}</p>
  </div>
</template>

<style scoped>
.editions {
  height: 100%;
  display: grid;
  grid-template: auto auto minmax(0, 1fr) / 250px minmax(0, 1fr);
}
.named-head {
  grid-column: 1 / -1;
  padding-bottom: 4px;
}
.parts {
  grid-column: 1 / -1;
  display: flex;
  gap: 22px;
  padding: 0 16px;
  border-bottom: 1px solid var(--hair);
}
.parts a {
  padding: 4px 0 6px;
  color: var(--soft);
  border-bottom: 3px solid transparent;
}
.parts a.on {
  color: var(--ink);
  font-weight: 650;
  border-bottom-color: var(--depth-5);
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
}
ol {
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
.in-force {
  float: right;
  font-size: 12px;
  padding: 0 6px;
  border: 1px solid var(--depth-5);
  border-radius: 2px;
}
.acts {
  display: flex;
  gap: 14px;
  white-space: nowrap;
}
.part.whole {
  grid-column: 1 / -1;
}
.part {
  overflow-y: auto;
  padding: 14px 20px 40px;
}
.release-part {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(280px, 380px);
  gap: 28px;
}
</style>
