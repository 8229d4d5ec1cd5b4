<script setup lang="ts">
/** Bring something in: what it would change is told before it does. */
import { computed, ref, watch } from 'vue'
import { Problem, type ProblemOut, type Shapes } from '@/api/client'
import { useNetworkEdits } from '@/api/queries'
import { listed } from '@/words'
import { useFrame } from '@/frame/frame'
import { mayLeave, useKeptText } from '@/editing/unsaved'

type Form = Shapes['BringIn']['form']
const FORMS: readonly { value: Form; text: string; hint: string }[] = [
  { value: 'document', text: 'a whole network', hint: 'sarvex: 1\nname: …' },
  {
    value: 'csv',
    text: 'segments or hosts as CSV',
    hint: 'segment,prefixes,vlan,description\nhangar,10.44.190.0/24,190,the hangar',
  },
  {
    value: 'lists',
    text: 'access lists as policies (RFC 8519 JSON)',
    hint: '{"ietf-access-control-list:acls": …}',
  },
  {
    value: 'device',
    text: "a device's interfaces and routes (RFC 8343, 8344, 8349 JSON)",
    hint: '{"ietf-interfaces:interfaces": …}',
  },
]
const PAUSE_MS = 300

const emit = defineEmits<{ close: [] }>()
const { id: network } = useFrame()
const edits = useNetworkEdits(network)
const form = ref<Form>('csv')
const text = useKeptText(`bring in ${network.value}`)
const device = ref('')
const told = ref<Shapes['ToCome'] | null>(null)
const problems = ref<ProblemOut[]>([])
const failure = ref('')
const busy = ref(false)
let asking: AbortController | undefined
let timer = 0

const chosen = computed(() => FORMS.find((f) => f.value === form.value)!)
function lineOf(d: Shapes['DifferenceOut']): string {
  const what = d.what.length ? `: ${listed(d.what, 6)}` : ''
  return `${CHANGE[d.change]}, ${d.section.replace('_', ' ')}${what}`
}
const CHANGE = { added: 'comes', removed: 'goes', changed: 'changes' }

async function look(): Promise<void> {
  asking?.abort()
  told.value = null
  problems.value = []
  failure.value = ''
  if (!text.value.trim()) return
  asking = new AbortController()
  try {
    told.value = await edits.toCome(
      { form: form.value, text: text.value, device: device.value },
      asking.signal,
    )
  } catch (error) {
    if (!(error instanceof Problem)) return
    problems.value = error.problems
    failure.value = error.problems.length ? '' : error.detail
  }
}
watch([form, text, device], () => {
  clearTimeout(timer)
  timer = window.setTimeout(look, PAUSE_MS)
})

async function read(event: Event): Promise<void> {
  const file = (event.target as HTMLInputElement).files?.[0]
  if (!file) return
  text.value = await file.text()
  if (/\.csv$/i.test(file.name)) form.value = 'csv'
  else if (text.value.includes('ietf-access-control-list:acls')) form.value = 'lists'
  else if (text.value.includes('ietf-interfaces:interfaces')) form.value = 'device'
  else if (/\.(ya?ml|json)$/i.test(file.name)) form.value = 'document'
}

async function bring(): Promise<void> {
  busy.value = true
  try {
    await edits.bringIn.mutateAsync({
      form: form.value,
      text: text.value,
      device: device.value,
      revision: told.value!.revision,
    })
    text.value = ''
    emit('close')
  } catch (error) {
    if (!(error instanceof Problem)) throw error
    await look()
    failure.value = error.detail
  } finally {
    busy.value = false
  }
}
</script>

<template>
  <form class="bring" @submit.prevent="bring" @keydown.esc="mayLeave() && emit('close')">
    <h2>Bring in</h2>
    <div class="kinds" role="radiogroup" aria-label="What">
      <label v-for="f in FORMS" :key="f.value">
        <input v-model="form" type="radio" name="form" :value="f.value" /> {{ f.text }}
      </label>
    </div>
    <label v-if="form === 'device'" class="device">
      Device <input v-model="device" class="plain-input" placeholder="its name here, new or known" />
    </label>
    <input type="file" aria-label="Read from a file" @change="read" />
    <textarea
      v-model="text"
      class="raw"
      rows="9"
      :placeholder="chosen.hint"
      aria-label="Text"
      spellcheck="false"
    />
    <div class="told" aria-live="polite">
      <p v-for="p in problems.slice(0, 12)" :key="p.place + p.message" class="problem">
        <span class="raw">{{ p.place }}</span> {{ p.message }}
      </p>
      <p v-if="problems.length > 12" class="problem">and {{ problems.length - 12 }} more</p>
      <p v-if="failure" class="problem" role="alert">{{ failure }}</p>
      <template v-if="told">
        <p v-if="!told.differences.length"><strong>Changes nothing.</strong></p>
        <p v-else>
          <strong
            >{{ told.differences.length }} {{ told.differences.length === 1 ? 'thing' : 'things' }} would
            change.</strong
          >
        </p>
        <p v-for="note in told.notes" :key="note" class="warning small">{{ note }}</p>
        <ul class="small">
          <li v-for="d in told.differences.slice(0, 200)" :key="d.section + d.name">
            {{ d.name }}
            <span class="soft">{{ lineOf(d) }}</span>
          </li>
        </ul>
      </template>
    </div>
    <div class="end">
      <v-btn type="submit" color="primary" :loading="busy" :disabled="!told?.differences.length"
        >Bring in</v-btn
      >
      <v-btn variant="outlined" @click="mayLeave() && emit('close')">Leave</v-btn>
      <span class="soft small">One step; it can be taken back.</span>
    </div>
  </form>
</template>

<style scoped>
.bring {
  display: flex;
  flex-direction: column;
  gap: 10px;
  max-height: 84vh;
  padding: 20px;
  background: var(--sheet);
  border-radius: 3px;
}
.kinds {
  display: flex;
  flex-direction: column;
  gap: 3px;
  font-size: 13.5px;
}
.plain-input,
textarea {
  padding: 6px 8px;
  color: inherit;
  background: var(--paper);
  border: 1px solid var(--hair);
  border-radius: 2px;
}
.plain-input {
  font: inherit;
  width: 260px;
}
textarea {
  width: 100%;
  resize: vertical;
}
.told {
  overflow-y: auto;
  min-height: 24px;
}
.told ul {
  padding: 4px 0 0;
  list-style: none;
}
.end {
  display: flex;
  gap: 10px;
  align-items: center;
}
</style>
