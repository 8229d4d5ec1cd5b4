<script setup lang="ts">
/** Where the policy is consulted and in which order among others; each change of it is looked at before it is done. */
import { computed, reactive, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import type { PolicyOut } from '@/api/client'
import { consequenceOfThing, useGround } from '@/api/ground'
import { useNetworkEdits } from '@/api/networkEdits'
import { useAct } from '@/editing/act'
import { useConsequence } from '@/editing/consequence'
import ConsequenceList from '@/editing/ConsequenceList.vue'
import FormField from '@/editing/FormField.vue'
import { type Field, FORMS, type Source, sourceNames } from '@/editing/things'
import { useFrame } from '@/frame/frame'
import {
  type Device,
  type Entry,
  orderOf,
  type Place,
  placesOf,
  shifted,
  without,
  withEntry,
} from '@/places/rules/consulted'
import ChoiceField from '@/ui/ChoiceField.vue'
import { inTurn } from '@/ui/turn'
import { attachment } from '@/words'

const props = defineProps<{ policy: PolicyOut; writable: boolean }>()
const { id: network, names, revision } = useFrame()
const router = useRouter()
const { data: ground } = useGround(network, revision)
const edits = useNetworkEdits(network)
const { busy, problem: refused, act } = useAct()

const places = computed(() => (ground.value ? placesOf(ground.value, props.policy.name) : []))
const atHosts = computed(() => props.policy.attachments.filter((a) => a.device === null))

/** What is in hand: a device as it would be, in words. */
interface Hand {
  device: Device
  thing: Device['thing']
  says: string
}
const hand = ref<Hand | null>(null)
const { told, stale, failure, about } = useConsequence('consulted', (asking, next: Hand, signal) =>
  consequenceOfThing(network.value, 'devices', next.device.id, { ...asking, thing: next.thing }, signal),
)
watch(hand, (next) => void about(next))

// A new place: the fields of a device's form.
const adding = ref(false)
const device = ref('')
const order = ref<'first' | 'last'>('last')
const blank = (): Entry => ({
  policy: props.policy.name,
  stage: 'passage',
  entering: ['any'],
  leaving: ['any'],
})
const entry = reactive(blank()) as Entry & Record<string, unknown>
const FIELDS = (FORMS.devices.find((f) => f.key === 'policies') as Extract<Field, { type: 'records' }>).fields
const SIDES: Record<Entry['stage'], string[]> = {
  inbound: ['entering'],
  passage: ['entering', 'leaving'],
  outbound: ['leaving'],
  'to the device': ['entering'],
  'from the device': ['leaving'],
}
const fields = computed(() => FIELDS.filter((f) => f.key === 'stage' || SIDES[entry.stage].includes(f.key)))
const chosen = computed(() => ground.value?.devices.find((d) => d.thing.name === device.value) ?? null)
const others = computed(
  () => (chosen.value?.thing.policies ?? []).filter((e) => e.stage === entry.stage).length > 0,
)
const scope = (source: Source) =>
  ground.value && chosen.value ? sourceNames(source, ground.value, names.value, chosen.value.id) : []

function begin(): void {
  Object.assign(entry, blank())
  device.value = ground.value?.devices[0]?.thing.name ?? ''
  order.value = 'last'
  adding.value = true
}
function close(): void {
  adding.value = false
  hand.value = null
  refused.value = ''
}
watch(
  () => (adding.value ? JSON.stringify([entry, device.value, order.value]) : ''),
  () => {
    if (!adding.value || !chosen.value) return
    const made = JSON.parse(JSON.stringify(entry)) as Entry
    for (const side of ['entering', 'leaving'] as const)
      if (!SIDES[made.stage].includes(side) || !made[side].length) made[side] = ['any']
    const thing = withEntry(chosen.value, made, order.value === 'first')
    hand.value = { device: chosen.value, thing, says: 'Consult it there' }
  },
)

function take(place: Place, thing: Device['thing'] | null, says: string): void {
  adding.value = false
  refused.value = ''
  hand.value = thing && { device: place.device, thing, says }
}
async function save(): Promise<void> {
  const { device: at, thing } = hand.value!
  const done = await act(() =>
    inTurn(() => edits.changeThing.mutateAsync({ kind: 'devices', id: at.id, ver: at.ver, thing })),
  )
  if (done) close()
}
const ask = (q: string) => router.push({ name: 'question', params: { network: network.value }, query: { q } })
</script>

<template>
  <section
    class="places"
    aria-label="Where it is consulted"
    @keydown.esc="(adding || hand) && ($event.stopPropagation(), close())"
  >
    <h3>consulted at</h3>
    <ul v-if="places.length || atHosts.length" class="plain-list">
      <li v-for="place in places" :key="`${place.device.id} ${place.index}`">
        {{ attachment({ ...place.entry, device: place.device.thing.name }) }}
        <span v-if="orderOf(place)" class="soft small">{{ orderOf(place) }}</span>
        <span v-if="writable" class="small acts">
          <button
            v-if="place.before.length"
            type="button"
            class="link"
            @click="take(place, shifted(place, -1), `Consult it before ${place.before.at(-1)}`)"
          >
            earlier
          </button>
          <button
            v-if="place.after.length"
            type="button"
            class="link"
            @click="take(place, shifted(place, 1), `Consult it after ${place.after[0]}`)"
          >
            later
          </button>
          <button
            type="button"
            class="link"
            @click="take(place, without(place), `Consult it no more at ${place.device.thing.name}`)"
          >
            no more
          </button>
        </span>
      </li>
      <li v-for="(at, i) in atHosts" :key="`hosts ${i}`">{{ attachment(at) }}</li>
    </ul>
    <p v-else-if="ground" class="warning">nowhere, so it does nothing</p>
    <template v-if="writable && ground">
      <button v-if="!adding && !hand && ground.devices.length" type="button" class="link" @click="begin">
        consult it at …
      </button>
      <p v-if="!ground.devices.length" class="soft small">
        There is no device that could consult it; see
        <router-link class="link" :to="{ name: 'ground', params: { network } }">Ground</router-link>.
      </p>
    </template>
    <form v-if="adding" class="adding" @submit.prevent="save">
      <ChoiceField
        v-model="device"
        label="Device"
        search
        :items="ground?.devices.map((d) => d.thing.name) ?? []"
      />
      <FormField
        v-for="field in fields"
        :key="field.key"
        :field="field"
        :path="['consulted', field.key]"
        :problems="[]"
        :names="scope"
        :model-value="entry[field.key]"
        @update:model-value="entry[field.key] = $event as never"
      />
      <ChoiceField
        v-if="others"
        v-model="order"
        label="Among others there"
        :items="[
          { title: 'after them', value: 'last' },
          { title: 'before them', value: 'first' },
        ]"
      />
    </form>
    <div v-if="hand" class="hand">
      <ConsequenceList :told="told" :stale="stale" :failure="failure" named :few="4" @ask="ask" />
      <p v-if="refused" class="problem" role="alert">{{ refused }}</p>
      <div class="does">
        <v-btn
          color="primary"
          :loading="busy"
          :disabled="stale || !told || told.problems.length > 0"
          @click="save"
          >{{ hand.says }}</v-btn
        >
        <v-btn variant="outlined" @click="close">Cancel</v-btn>
      </div>
    </div>
  </section>
</template>

<style scoped>
h3 {
  margin: 16px 0 4px;
  font-size: 12.5px;
  font-weight: 400;
  color: var(--soft);
}
.plain-list {
  list-style: none;
  padding: 0;
  margin: 0 0 6px;
}
.plain-list li {
  padding: 3px 0;
}
.acts {
  display: inline-flex;
  gap: 10px;
  margin-left: 6px;
}
.adding {
  display: grid;
  gap: 6px;
  margin: 8px 0;
}
.hand {
  margin: 8px 0 4px;
  padding: 8px 10px;
  background: color-mix(in srgb, var(--depth-1) 55%, transparent);
  border-left: 2px solid var(--depth-4);
}
.does {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  margin: 8px -10px -8px;
  padding: 8px 10px;
  position: sticky;
  bottom: 0;
  background: var(--sheet);
  border-top: 1px solid var(--hair);
}
</style>
