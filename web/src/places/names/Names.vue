<script setup lang="ts">
/** Names: what do they stand for, where are they used, which are unused, double, or nearly so? */
import { computed, nextTick, onMounted, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { Shapes } from '@/api/client'
import { useGround } from '@/api/ground'
import { useFoundNames, useName } from '@/api/names'
import { useNetworkEdits } from '@/api/networkEdits'
import KeptSearches from '@/editing/KeptSearches.vue'
import NameEditor from '@/places/names/NameEditor.vue'
import NameKinds from '@/places/names/NameKinds.vue'
import { figure } from '@/words'
import { sourceNames } from '@/editing/things'
import { filtered, isOwn, type Kind, remarks, searchOf, usesOf } from '@/places/names/names'
import { useFrame } from '@/frame/frame'
import { useHeld } from '@/editing/held'
import { useSession } from '@/api/session'
import { giveUp, leftUnder, mayLeave, unsaved } from '@/editing/unsaved'
import { useKeys } from '@/ui/keys'
import { useLongList, walkKeys } from '@/ui/longList'
import { misreadOf } from '@/ui/searchLine'

const ROW_PX = 34

const { id: network, names, revision } = useFrame()
const session = useSession()
const route = useRoute()
const router = useRouter()
const edits = useNetworkEdits(network)

const text = ref('')
const kind = ref<Kind | ''>((route.query.kind as Kind | undefined) ?? '')
const odd = ref(false)
const adding = ref<'addresses' | 'service' | null>(null)
const finder = ref<HTMLInputElement>()

const writable = computed(() => session.writes)
const chosen = computed(() => (route.params.name ? Number(route.params.name) : null))
const { data: told, error } = useName(network, chosen, revision)
const { shown: detail, gone } = useHeld(
  () => told.value,
  () => chosen.value,
)
const own = computed(() => names.value.filter(isOwn))
const search = computed(() => searchOf(text.value))
const { data: found, error: refused } = useFoundNames(
  network,
  revision,
  computed(() => search.value.server),
)
/** What is not understood of what is typed. */
const misread = computed(() => misreadOf(search.value, refused.value))
const shown = computed(() =>
  misread.value.length
    ? []
    : filtered(
        own.value,
        search.value,
        kind.value,
        odd.value,
        search.value.server && new Set(found.value?.ids),
      ),
)
const oddCount = computed(() => own.value.filter((n) => remarks(n).length).length)
const { data: ground } = useGround(network, revision)
const traits = computed(() => (ground.value ? sourceNames('trait', ground.value, [], 0) : []))
const at = computed(() => shown.value.findIndex((n) => n.id === chosen.value))

const list = useLongList({
  lines: () => shown.value,
  key: (name) => name.id,
  height: () => ROW_PX,
  keep: () => [at.value],
  overscan: 16,
})

async function choose(id: number | null, focus = true): Promise<void> {
  if (!(await mayLeave())) return
  adding.value = null
  await router.replace({
    name: 'names',
    params: { network: network.value, name: id ?? '' },
    query: route.query,
  })
  if (id === null || !focus) return
  await list.focus(at.value)
}

async function add(what: 'addresses' | 'service'): Promise<void> {
  if (!writable.value || !(await mayLeave())) return
  adding.value = what
}

async function save(thing: Shapes['NameIn'], ver: number): Promise<void> {
  if (adding.value) {
    const made = await edits.addName.mutateAsync({ kind: adding.value, thing })
    giveUp()
    adding.value = null
    await choose(made.id ?? null)
  } else if (gone.value) {
    const kind = detail.value!.kind === 'service' ? 'service' : 'addresses'
    const made = await edits.addName.mutateAsync({ kind, thing })
    giveUp()
    await choose(made.id ?? null)
  } else if (detail.value) {
    await edits.changeName.mutateAsync({ id: detail.value.id, ver, thing })
  }
}

/** Whether this name is still the place one is at: an answer must not call back somebody who has left. */
function still(id: number): boolean {
  return route.name === 'names' && chosen.value === id
}

async function remove(): Promise<void> {
  const { id, ver } = detail.value!
  await edits.deleteName.mutateAsync({ id, ver })
  giveUp()
  if (still(id)) await choose(null)
}

async function replaceBy(by: string): Promise<void> {
  const { id, ver } = detail.value!
  await edits.replaceName.mutateAsync({ id, ver, by })
  giveUp()
  if (!still(id)) return
  const heir = names.value.find((n) => n.name === by)
  await choose(heir?.id ?? null)
}

const free = () => !unsaved()
useKeys('Among the names', [
  ...walkKeys('name', {
    count: () => shown.value.length,
    at: () => at.value,
    go: (index) => shown.value[index] && choose(shown.value[index].id),
    when: () => free() && shown.value.length > 0,
    page: 15,
  }),
  { on: ['f'], says: 'find', when: free, act: () => finder.value?.focus() },
  {
    on: ['n'],
    says: 'a new one',
    when: () => free() && writable.value,
    act: () => add(kind.value === 'service' ? 'service' : 'addresses'),
  },
  {
    on: ['Enter'],
    says: 'edit it',
    when: () => chosen.value !== null,
    act: () => document.getElementById('name-name')?.focus(),
  },
  { on: ['Escape'], says: 'choose none', act: () => choose(null) },
])

onMounted(() => {
  // What was being added when the page was last loaded.
  const left = leftUnder(`name ${network.value} `)
  if (left === 'addresses' || left === 'service') add(left)
})
watch(adding, async (what) => {
  if (!what) return
  await nextTick()
  document.getElementById('name-name')?.focus()
})
</script>

<template>
  <div class="names" :class="{ panelled: adding || detail }">
    <header class="named-head">
      <h1>Names</h1>
      <span class="soft">{{
        shown.length === own.length ? figure(own.length) : `${figure(shown.length)} of ${figure(own.length)}`
      }}</span>
      <input
        ref="finder"
        v-model="text"
        class="find"
        type="search"
        placeholder="words, holds:10.44.3.7 in:vessels used:no"
        title="words; holds: and in: with names or values; kind: used: changed:7d by:"
        aria-label="Find a name"
        @keydown.esc="((text = ''), finder?.blur())"
      />
      <kbd aria-hidden="true" class="soft">f</kbd>
      <KeptSearches v-model="text" place="names" />
      <span v-if="misread.length" class="problem small" role="alert">{{ misread.join('; ') }}</span>
      <span class="spring" />
      <template v-if="writable">
        <button class="plain soft" @click="add('addresses')">add addresses <kbd>n</kbd></button>
        <button class="plain soft" @click="add('service')">add service</button>
      </template>
    </header>
    <NameKinds :kind="kind" :odd="odd" :odd-count="oddCount" @kind="kind = $event" @odd="odd = !odd" />
    <div
      :ref="(element) => (list.scroller.value = element as HTMLElement)"
      class="named-list"
      data-pane
      role="grid"
      aria-label="Names"
      :aria-rowcount="shown.length"
    >
      <div class="extent" role="rowgroup" :style="{ height: `${list.total.value}px` }">
        <div
          v-for="{ line: name, key, index, style } in list.drawn.value"
          :key="key"
          class="row named-row"
          :class="{ selected: name.id === chosen }"
          role="row"
          :aria-rowindex="index + 1"
          :aria-selected="name.id === chosen"
          :tabindex="name.id === chosen || (at < 0 && index === 0) ? 0 : -1"
          data-stop
          :data-line="name.id"
          :style="style"
          @click="choose(name.id)"
        >
          <span class="called" role="gridcell">{{ name.name }}</span>
          <span class="soft small" role="gridcell">{{ name.kind }}</span>
          <span class="raw values" role="gridcell">{{ name.values.join(', ') }}</span>
          <span class="soft small used" role="gridcell">{{ usesOf(name.uses) }}</span>
          <span class="small remark" role="gridcell">
            <span
              v-for="remark in remarks(name)"
              :key="remark.text"
              :class="remark.weight === 'warning' ? 'warning' : 'soft'"
              >{{ remark.text }}
            </span>
          </span>
        </div>
      </div>
      <p v-if="!shown.length" class="empty soft">
        {{
          own.length
            ? 'No name fits.'
            : 'No names yet. Names let the next engineer know why an address is there.'
        }}
      </p>
    </div>
    <aside v-if="adding || detail" class="named-panel" aria-label="Name">
      <NameEditor
        :key="adding ?? detail?.id"
        :network="network"
        :name="adding ? null : (detail ?? null)"
        :kind="adding ?? (detail?.kind === 'service' ? 'service' : 'addresses')"
        :names="names"
        :writable="writable"
        :gone="gone && !adding"
        :traits="traits"
        :save="save"
        :remove="remove"
        :replace-by="replaceBy"
        @close="choose(adding ? chosen : null)"
      />
    </aside>
    <p v-else-if="error" class="problem lost" role="alert">{{ error.message }}</p>
  </div>
</template>

<style scoped>
.names {
  height: 100%;
  display: grid;
  grid-template: auto auto 1fr / minmax(0, 1fr);
}
.names.panelled {
  grid-template-columns: minmax(0, 1fr) 324px;
}
@media (max-width: 859px) {
  .names.panelled {
    grid-template: auto auto minmax(0, 1fr) minmax(0, 1.5fr) / minmax(0, 1fr);
  }
}
.spring {
  flex: 1;
}
.extent {
  position: relative;
}
.row {
  position: absolute;
  inset: 0 0 auto;
  height: 34px;
  grid-template-columns: minmax(104px, 1fr) 64px minmax(104px, 1.5fr) 50px minmax(96px, 0.9fr);
  gap: 12px;
}
.called,
.values,
.remark {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.used {
  text-align: right;
}
.empty,
.lost {
  padding: 24px 16px;
}
</style>
