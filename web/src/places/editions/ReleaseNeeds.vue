<script setup lang="ts">
/** What releases of this network need, and the devices that follow them. */
import { computed, reactive, ref, watch } from 'vue'
import type { Shapes } from '@/api/client'
import { useGround } from '@/api/ground'
import { useLinks, useReleaseActs } from '@/api/releases'
import { needed } from '@/places/editions/releases'
import { useAct } from '@/editing/act'
import { useFrame } from '@/frame/frame'
import CheckBox from '@/ui/CheckBox.vue'
import ChoiceField from '@/ui/ChoiceField.vue'
import DeviceDrift from '@/places/editions/DeviceDrift.vue'

const props = defineProps<{ settings: Shapes['SettingsOut']; may: boolean; releases: boolean }>()
const { id: network, revision } = useFrame()
const acts = useReleaseActs(network)
const { busy, problem, act } = useAct()
const { data: links } = useLinks(network)
const { data: ground } = useGround(network, revision)

const editing = ref(false)
const form = reactive({ reviewers: 0, confirm_minutes: 0, managed_from: '', second_factor: false })
watch(
  [() => props.settings, editing],
  () => Object.assign(form, props.settings, { managed_from: props.settings.managed_from.join(', ') }),
  { immediate: true },
)
function save() {
  return act(async () => {
    const managed_from = form.managed_from.split(',').flatMap((w) => (w.trim() ? [w.trim()] : []))
    await acts.settings.mutateAsync({ ...form, managed_from })
    editing.value = false
  })
}

const SIGNATURES = [0, 1, 2].map((n) => ({ title: needed(n), value: n }))

const linking = ref<number | null>(null)
const link = reactive<Shapes['LinkIn']>({ address: '', login: 'sarvex', secret: '' })
const unlinked = computed(() =>
  (ground.value?.devices ?? []).filter((d) => !links.value?.some((l) => l.device_id === d.id)),
)
function open(id: number): void {
  const known = links.value?.find((l) => l.device_id === id)
  Object.assign(link, known ?? { address: '', login: 'sarvex', secret: '' })
  linking.value = id
}
function saveLink() {
  return act(async () => {
    const { address, login, secret } = link
    await acts.link.mutateAsync({ device_id: linking.value!, body: { address, login, secret } })
    linking.value = null
  })
}
</script>

<template>
  <section aria-label="What releases need">
    <h2>What a release needs</h2>
    <template v-if="!editing">
      <p>{{ needed(settings.reviewers) }};</p>
      <p>
        {{
          settings.confirm_minutes
            ? `it goes back unless confirmed within ${settings.confirm_minutes} minutes;`
            : 'it stays without being confirmed;'
        }}
      </p>
      <p>
        {{
          settings.managed_from.length
            ? `devices are managed from ${settings.managed_from.join(', ')}.`
            : 'nobody said from where devices are managed.'
        }}
      </p>
      <p v-if="settings.second_factor">Whoever releases or administers needs a second factor.</p>
      <button v-if="may" class="link small" @click="editing = true">change</button>
    </template>
    <form v-else @submit.prevent="save">
      <ChoiceField v-model="form.reviewers" label="Signatures" :items="SIGNATURES" />
      <label
        >Minutes to confirm, 0 for none
        <input v-model.number="form.confirm_minutes" class="plain-field" type="number" min="0" max="1440"
      /></label>
      <label>Devices are managed from <input v-model="form.managed_from" class="plain-field" /></label>
      <CheckBox v-model="form.second_factor" class="switch"
        >whoever releases or administers needs a second factor</CheckBox
      >
      <div class="acts">
        <v-btn type="submit" color="primary" :loading="busy">Save</v-btn>
        <v-btn variant="outlined" @click="editing = false">Cancel</v-btn>
      </div>
    </form>
    <h2>Devices that follow</h2>
    <ul aria-label="Devices that follow">
      <li v-for="l in links" :key="l.device_id">
        <div>
          {{ l.device }}
          <button v-if="may" class="link small" @click="open(l.device_id)">change</button>
          <button v-if="may" class="link small" @click="act(() => acts.unlink.mutateAsync(l.device_id))">
            unlink
          </button>
        </div>
        <p class="raw soft">{{ l.address }}</p>
        <DeviceDrift :device="l.device_id" :may="releases" />
      </li>
      <li v-if="links && !links.length" class="soft">
        None: what is in force is told here and nowhere else.
      </li>
    </ul>
    <template v-if="unlinked.length">
      <h2>Typed in by hand</h2>
      <ul aria-label="Typed in by hand">
        <li v-for="d in unlinked" :key="d.id">
          <router-link class="link" :to="{ name: 'worksheet', params: { network, device: d.id } }"
            >worksheet of {{ d.thing.name }}</router-link
          >
        </li>
      </ul>
    </template>
    <ChoiceField
      v-if="may && unlinked.length && linking === null"
      label="Let a device follow"
      placeholder="which"
      :items="unlinked.map((d) => ({ title: d.thing.name, value: d.id }))"
      :model-value="null"
      @update:model-value="open($event!)"
    />
    <form v-if="linking !== null" @submit.prevent="saveLink">
      <label
        >RESTCONF address <input v-model="link.address" class="plain-field" placeholder="https://…"
      /></label>
      <label>Name there <input v-model="link.login" class="plain-field" /></label>
      <label
        >Password file on the server
        <input v-model="link.secret" class="plain-field" aria-describedby="secret-help"
      /></label>
      <p id="secret-help" class="soft small">
        Only the file's name is kept; the password stays in it, and the file says for which addresses it is.
      </p>
      <div class="acts">
        <v-btn type="submit" color="primary" :loading="busy">Save</v-btn>
        <v-btn variant="outlined" @click="linking = null">Cancel</v-btn>
      </div>
    </form>
    <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
  </section>
</template>

<style scoped>
h2 {
  margin: 18px 0 4px;
}
h2:first-child {
  margin-top: 0;
}
p {
  margin: 0;
}
ul {
  list-style: none;
  padding: 0;
}
li {
  padding: 5px 0;
  border-top: 1px solid var(--hair);
  overflow-wrap: anywhere;
}
li button {
  margin-left: 8px;
}
form {
  display: flex;
  flex-direction: column;
  gap: 8px;
}
form label {
  display: flex;
  flex-direction: column;
  gap: 3px;
}
form label.switch {
  flex-direction: row;
  gap: 6px;
}
.acts {
  display: flex;
  gap: 8px;
}
</style>
