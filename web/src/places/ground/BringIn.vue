<script setup lang="ts">
/** Bring something in: what it would change is told before it does. */
import { computed, ref, watch } from 'vue'
import { Problem, type ProblemOut, type Shapes } from '@/api/client'
import { useNetworkEdits } from '@/api/networkEdits'
import { counted, listed } from '@/words'
import ChoiceLine from '@/ui/ChoiceLine.vue'
import FileField from '@/ui/FileField.vue'
import SheetBox from '@/ui/SheetBox.vue'
import TextField from '@/ui/TextField.vue'
import { useFrame } from '@/frame/frame'
import { mayLeave, useKeptText } from '@/editing/unsaved'

type Form = Shapes['BringIn']['form']
const FORMS: readonly { value: Form; text: string; hint: string }[] = [
  { value: 'document', text: 'a whole network', hint: 'sarvex: 1\nname: …' },
  {
    value: 'changes',
    text: 'what is to be there, and what not',
    hint: 'sarvex: 1\nsettle:\n  addresses:\n    - {name: panels, members: {merge: [10.44.30.40]}}',
  },
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
/** What it would change is being worked out. */
const reading = ref(false)
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
  const mine = asking
  reading.value = true
  try {
    told.value = await edits.toCome(
      { form: form.value, text: text.value, device: device.value },
      asking.signal,
    )
  } catch (error) {
    if (!(error instanceof Problem)) return
    problems.value = error.problems
    failure.value = error.problems.length ? '' : error.detail
  } finally {
    if (mine === asking) reading.value = false
  }
}
watch([form, text, device], () => {
  clearTimeout(timer)
  timer = window.setTimeout(look, PAUSE_MS)
})

async function leave(): Promise<void> {
  if (await mayLeave()) emit('close')
}

async function read(file: File): Promise<void> {
  text.value = await file.text()
  if (/\.csv$/i.test(file.name)) form.value = 'csv'
  else if (text.value.includes('ietf-access-control-list:acls')) form.value = 'lists'
  else if (text.value.includes('ietf-interfaces:interfaces')) form.value = 'device'
  else if (/^\s*"?settle"?\s*:/m.test(text.value)) form.value = 'changes'
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
  <SheetBox title="Bring in" :width="680" persistent @keydown.esc="leave">
    <form id="bring-form" class="bring" @submit.prevent="bring">
      <ChoiceLine
        v-model="form"
        label="What"
        below
        :items="FORMS.map((f) => ({ title: f.text, value: f.value }))"
      />
      <TextField
        v-if="form === 'device'"
        v-model="device"
        label="Device"
        placeholder="its name here, new or known"
      />
      <FileField label="Read from a file" @file="read" />
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
            <strong>{{ counted(told.differences.length, 'thing') }} would change.</strong>
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
    </form>
    <template #end>
      <v-btn
        type="submit"
        form="bring-form"
        color="primary"
        :loading="busy"
        :disabled="!told?.differences.length"
        >Bring in</v-btn
      >
      <v-btn variant="outlined" @click="leave">Cancel</v-btn>
      <span v-if="reading" class="soft small" role="status">What it would change is being worked out …</span>
      <span v-else-if="busy" class="soft small" role="status">It is being brought in …</span>
      <span v-else class="soft small">One step, which can be undone.</span>
    </template>
  </SheetBox>
</template>

<style scoped>
.bring {
  display: flex;
  flex-direction: column;
  gap: 10px;
}
textarea {
  padding: 6px 8px;
  color: inherit;
  background: var(--paper);
  border: 1px solid var(--hair);
  border-radius: 2px;
}
textarea {
  width: 100%;
  resize: vertical;
}
.told {
  max-height: 34vh;
  overflow-y: auto;
  min-height: 24px;
}
.told ul {
  padding: 4px 0 0;
  list-style: none;
}
</style>
