<script setup lang="ts">
/** Ground: what is there, which policy is consulted where, and what happens by default? */
import { computed, nextTick, onMounted, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { useGround } from '@/api/ground'
import { useNetworkEdits } from '@/api/networkEdits'
import BringIn from '@/places/ground/BringIn.vue'
import GroundOutline from '@/places/ground/GroundOutline.vue'
import { useKeys } from '@/ui/keys'
import DeviceGround from '@/places/ground/DeviceGround.vue'
import DeviceLists from '@/places/ground/DeviceLists.vue'
import GroundChart from '@/places/ground/GroundChart.vue'
import ThingEditor from '@/places/ground/ThingEditor.vue'
import { blankOf, byDefault, defaultSentence, found, type Item, type Kind, outline } from '@/editing/things'
import { counted, quoted } from '@/words'
import { useFrame } from '@/frame/frame'
import { useHeld } from '@/editing/held'
import { useSession } from '@/api/session'
import { giveUp, leftAt, leftUnder, mayLeave } from '@/editing/unsaved'

const MOST_ROWS = 600
const ADDABLE: readonly Kind[] = ['zones', 'devices', 'segments', 'policies']

const { id: network, names, revision } = useFrame()
const session = useSession()
const route = useRoute()
const router = useRouter()
const edits = useNetworkEdits(network)
const { data: ground, error } = useGround(network, revision)

const text = ref('')
const finder = ref<HTMLInputElement>()
const list = ref<InstanceType<typeof GroundOutline>>()
const adding = ref<Item | null>(null)
const bringing = ref(leftAt(`bring in ${network.value}`) !== null)

const writable = computed(() => session.writes)
const items = computed(() => (ground.value ? outline(ground.value) : []))
const shown = computed(() => found(items.value, text.value).slice(0, MOST_ROWS))
const chosen = computed(() => (route.params.thing ? Number(route.params.thing) : null))
const { shown: held, gone } = useHeld(
  () => items.value.find((i) => i.id === chosen.value),
  () => chosen.value,
)
const selected = computed(() => adding.value ?? held.value)
/** While something is sought, only what fits stays bright. */
const lit = computed(() =>
  text.value.trim() ? new Set(found(items.value, text.value).map((i) => i.id)) : null,
)
const device = computed(() =>
  ground.value?.devices.find((d) => d.id === selected.value?.id || d.id === selected.value?.parent),
)
const told = computed(() => device.value ?? ground.value?.devices[0])
const warnings = computed(() => ground.value?.findings.filter((f) => f.weight !== 'note' && f.name) ?? [])
const count = (kind: Kind) => items.value.filter((i) => i.kind === kind).length

async function choose(id: number | null): Promise<void> {
  if (!(await mayLeave())) return
  adding.value = null
  const left = shown.value.findIndex((item) => item.id === chosen.value)
  await router.replace({
    name: 'ground',
    params: { network: network.value, thing: id ?? '' },
    query: route.query,
  })
  if (id !== null) return
  await nextTick()
  void list.value?.go(Math.max(0, left))
}

async function add(kind: Kind, parent = 0, more: Record<string, unknown> = {}): Promise<void> {
  if (!writable.value || !(await mayLeave())) return
  adding.value = {
    kind,
    id: 0,
    ver: 0,
    name: '',
    detail: '',
    level: 0,
    parent,
    thing: { ...blankOf(kind), ...more },
  }
}

async function save(thing: object, ver: number): Promise<void> {
  const { kind, id, parent } = selected.value!
  if (id && !gone.value) return void (await edits.changeThing.mutateAsync({ kind, id, ver, thing }))
  const made = await edits.addThing.mutateAsync({ kind, thing, parent })
  giveUp()
  await choose(made.id ?? null)
}

async function remove(ver: number): Promise<void> {
  const { id } = selected.value!
  await edits.deleteThing.mutateAsync({ id, ver })
  giveUp()
  if (chosen.value === id) await choose(null)
}

function ask(q: string): void {
  void router.replace({ query: { ...route.query, q } })
}

useKeys('On the ground', [{ on: ['f'], says: 'find', act: () => finder.value?.focus() }])
onMounted(() => {
  // What was being added when the page was last loaded: its kind, no id yet, and what it belongs to.
  const [kind, id, parent] = leftUnder(`thing ${network.value} `)?.split(' ') ?? []
  if (id === '0') add(kind as Kind, Number(parent))
})
// A link may ask for a new policy, also while one is here already.
watch(
  () => route.query.add,
  (what) => {
    if (what !== 'policies') return
    void router.replace({ query: { ...route.query, add: undefined } })
    add('policies')
  },
  { immediate: true },
)
</script>

<template>
  <div v-if="ground" class="ground">
    <header class="head">
      <h1>Ground</h1>
      <span class="soft facts"
        >{{ counted(count('devices'), 'device') }}, {{ counted(count('segments'), 'segment') }},
        {{ counted(count('hosts'), 'host') }}</span
      >
      <button v-if="writable" class="plain soft bring" @click="bringing = true">bring in</button>
      <span v-for="w in warnings.slice(0, 1)" :key="w.text" class="warning facts small"
        >{{ w.text }} {{ warnings.length > 1 ? `And ${warnings.length - 1} more in Findings.` : '' }}</span
      >
    </header>
    <p v-if="!count('devices') && !count('segments')" class="picture none soft">
      Nothing is on the ground yet: add a segment or a device, or bring in an addressing plan. Until then each
      policy is proven by itself.
    </p>
    <GroundChart
      v-else
      :ground="ground"
      :chosen="selected?.id ?? null"
      :lit="lit"
      class="picture"
      @choose="choose"
    />
    <p v-if="told" class="default small">
      <strong>By default at {{ told.thing.name }}:</strong> {{ defaultSentence(told.thing) }}.
    </p>
    <BringIn v-if="bringing" @close="bringing = false" />
    <aside class="panel" aria-label="Outline">
      <ThingEditor
        v-if="selected"
        :key="`${selected.kind}-${selected.id}`"
        :network="network"
        :ground="ground"
        :item="selected"
        :names="names"
        :writable="writable"
        :gone="gone && !adding"
        :save="save"
        :remove="remove"
        @close="choose(null)"
      >
        <p
          v-if="selected.id && (selected.kind === 'segments' || selected.kind === 'hosts')"
          class="small asks"
        >
          <button type="button" class="link" @click="ask(`who to ${quoted(selected.name)}`)">
            who reaches it?
          </button>
          <button type="button" class="link" @click="ask(`${quoted(selected.name)} to where`)">
            where does it reach?
          </button>
          <button
            v-if="writable && selected.kind === 'segments'"
            type="button"
            class="link"
            @click="add('hosts', 0, { segment: selected.name })"
          >
            add a host
          </button>
        </p>
        <p v-if="selected.id && selected.kind === 'devices'" class="small asks">
          <button v-if="writable" type="button" class="link" @click="add('interfaces', selected.id)">
            add an interface
          </button>
          <router-link class="link" :to="{ name: 'worksheet', params: { network, device: selected.id } }"
            >its worksheet</router-link
          >
        </p>
        <p v-if="selected.id && selected.kind === 'policies'" class="small asks">
          <router-link class="link" :to="{ name: 'rules', params: { network, policy: selected.id } }"
            >its rules</router-link
          >
        </p>
        <DeviceGround
          v-if="selected.id && selected.kind === 'devices'"
          :key="`ground ${selected.id}`"
          :device="selected.id"
        />
        <DeviceLists
          v-if="selected.id && selected.kind === 'devices' && device"
          :network="network"
          :device="device"
          :writable="writable"
          @choose="choose"
          @ask="ask"
          @add="(kind) => add(kind, selected!.id)"
          @move="(id, ver, before) => edits.moveEntry.mutate({ id, ver, before })"
        />
        <dl v-if="selected.kind === 'devices' && device?.between.length" class="between small">
          <template v-for="line in byDefault(device.between)" :key="line.from">
            <dt>from {{ line.from }}</dt>
            <dd class="soft">{{ line.text }}</dd>
          </template>
        </dl>
      </ThingEditor>
      <template v-else>
        <div class="finding">
          <input
            ref="finder"
            v-model="text"
            class="find"
            type="search"
            placeholder="name, address, trait"
            aria-label="Find on the ground"
            @keydown.esc="((text = ''), finder?.blur())"
            @keydown.down.prevent="list?.go(0)"
          />
          <kbd aria-hidden="true" class="soft">f</kbd>
        </div>
        <GroundOutline
          ref="list"
          :items="shown"
          :empty="text ? [] : ADDABLE.filter((k) => !count(k))"
          :writable="writable"
          @choose="choose"
          @add="add"
        />
      </template>
    </aside>
  </div>
  <p v-else-if="error" class="problem none" role="alert">{{ error.message }}</p>
</template>

<style scoped>
.none {
  max-width: 640px;
  padding: 16px;
}
.ground {
  height: 100%;
  display: grid;
  grid-template: auto minmax(0, 1fr) auto / minmax(0, 1fr) 316px;
}
@media (max-width: 859px) {
  .ground {
    grid-template: auto minmax(0, 1fr) auto minmax(0, 1.2fr) / minmax(0, 1fr);
  }
  .ground > .panel {
    grid-column: 1;
    grid-row: 4;
    border-left: 0;
    border-top: 1px solid var(--hair);
  }
}
.head {
  display: flex;
  align-items: baseline;
  gap: 14px;
  padding: 13px 16px 11px;
  border-bottom: 1px solid var(--hair);
  white-space: nowrap;
  overflow: hidden;
}
.facts {
  overflow: hidden;
  text-overflow: ellipsis;
}
.facts:first-of-type {
  flex-shrink: 0;
}
.bring {
  order: 3;
  margin-left: auto;
}
.picture {
  grid-column: 1;
}
.default {
  grid-column: 1;
  padding: 7px 16px;
  border-top: 1px solid var(--hair);
  background: var(--sheet);
}
.panel {
  grid-column: 2;
  grid-row: 1 / -1;
  min-height: 0;
  display: flex;
  flex-direction: column;
  background: var(--sheet);
  border-left: 1px solid var(--hair);
  overflow-y: auto;
}
.finding {
  display: flex;
  gap: 8px;
  align-items: center;
  padding: 12px 16px 8px;
}
.find {
  flex: 1;
}
.asks {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 14px;
  margin-top: 6px;
}
.between {
  display: grid;
  grid-template-columns: auto 1fr;
  gap: 2px 10px;
  margin: 8px 0 0;
}
.between dd {
  margin: 0;
}
.none {
  padding: 16px;
}
</style>
