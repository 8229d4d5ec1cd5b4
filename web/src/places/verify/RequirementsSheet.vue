<script setup lang="ts">
/** Requirements from a sheet: told first, line by line, what was understood and whether it holds; nothing is dropped. */
import { computed, onBeforeUnmount, ref, shallowRef, watch } from 'vue'
import { Problem, type Shapes } from '@/api/client'
import { type Expectation, readText } from '@/api/expectations'
import { useKeptText } from '@/editing/unsaved'
import { wordOf } from '@/places/verify/holding'
import SheetBox from '@/ui/SheetBox.vue'
import { counted } from '@/words'

const props = defineProps<{ network: number; take: (things: Expectation[]) => Promise<unknown> }>()
const emit = defineEmits<{ close: [] }>()
const PAUSE_MS = 250
const MOST_SHOWN = 300

const text = useKeptText(`requirements ${props.network}`)
const lines = shallowRef<Shapes['LineOut'][]>([])
const reading = ref(false)
const failure = ref('')
const busy = ref(false)
let timer = 0
let asking: AbortController | undefined

async function read(): Promise<void> {
  asking?.abort()
  asking = new AbortController()
  const { signal } = asking
  failure.value = ''
  if (!text.value.trim()) {
    lines.value = []
    reading.value = false
    return
  }
  try {
    lines.value = (await readText(props.network, text.value, signal)).lines
    reading.value = false
  } catch (error) {
    if (signal.aborted) return
    if (!(error instanceof Problem)) throw error
    failure.value = error.detail
    reading.value = false
  }
}
watch(
  text,
  () => {
    reading.value = true
    clearTimeout(timer)
    timer = window.setTimeout(read, PAUSE_MS)
  },
  { immediate: true },
)
onBeforeUnmount(() => {
  clearTimeout(timer)
  asking?.abort()
})

/** What is there already, and what says the opposite of another line, is not taken. */
const understood = computed(() => lines.value.filter((l) => l.thing && !l.note))
const strange = computed(() => lines.value.filter((l) => l.problem))
const opposite = computed(() => lines.value.filter((l) => l.note.startsWith('says the opposite')))
const summary = computed(() => {
  const bad = understood.value.filter((l) => l.verdict === 'broken').length
  return [
    `${counted(understood.value.length, 'line')} understood`,
    bad && `${bad} of them ${bad === 1 ? 'does' : 'do'} not hold today`,
    strange.value.length && `${strange.value.length} not understood`,
    opposite.value.length && `${opposite.value.length} contradict another`,
  ]
    .filter(Boolean)
    .join(', ')
})

async function submit(): Promise<void> {
  busy.value = true
  failure.value = ''
  try {
    const left = new Set([...strange.value, ...opposite.value].map((l) => l.number))
    const rest = text.value.split(/\r?\n/).filter((_, i) => left.has(i + 1))
    await props.take(understood.value.map((l) => l.thing!))
    text.value = rest.join('\n') // what was not understood stays to be mended
  } catch (error) {
    if (!(error instanceof Problem)) throw error
    failure.value = error.problems.map((p) => p.message).join('; ') || error.detail
  } finally {
    busy.value = false
  }
}
</script>

<template>
  <SheetBox title="Requirements" :width="980" persistent @close="emit('close')">
    <p class="small soft">
      One a line: <em>kiosks must reach fares-db on postgres</em>, or columns from a sheet (source,
      destination, service, yes or no), with a head that names them or without one.
    </p>
    <textarea
      v-model="text"
      data-first
      class="text raw"
      rows="7"
      aria-label="Requirements"
      spellcheck="false"
      @keydown.esc.stop="emit('close')"
    />
    <p v-if="failure" class="problem" role="alert">{{ failure }}</p>
    <div v-if="lines.length" class="read" :class="{ stale: reading }">
      <p class="summary" role="status">{{ summary }}</p>
      <ol class="lines" aria-label="What was understood">
        <li
          v-for="line in lines.slice(0, MOST_SHOWN)"
          :key="line.number"
          :class="{ strange: line.problem || line.note.startsWith('says the opposite') }"
        >
          <span class="number soft raw">{{ line.number }}</span>
          <template v-if="line.thing">
            <span>{{ line.sentence.slice(line.thing.name.length + 2) }}</span>
            <span class="small" :class="line.verdict === 'kept' ? 'soft' : 'warning'">{{
              wordOf(line.verdict!)
            }}</span>
            <span v-if="line.note" class="small note">{{ line.note }}</span>
          </template>
          <template v-else>
            <span class="raw">{{ line.text }}</span>
            <span class="problem note">{{ line.problem }}</span>
          </template>
        </li>
      </ol>
      <p v-if="lines.length > MOST_SHOWN" class="small soft">
        and {{ lines.length - MOST_SHOWN }} more lines
      </p>
    </div>
    <div class="acts">
      <v-btn color="primary" :disabled="!understood.length || reading" :loading="busy" @click="submit">
        Take {{ counted(understood.length, 'line') }}
      </v-btn>
      <v-btn variant="outlined" @click="emit('close')">Close</v-btn>
      <span v-if="strange.length || opposite.length" class="small soft"
        >Lines that are not understood, or contradict another, stay here.</span
      >
    </div>
  </SheetBox>
</template>

<style scoped>
.text {
  width: 100%;
  margin: 8px 0;
  padding: 8px;
  color: inherit;
  background: var(--paper);
  border: 1px solid var(--hair);
  resize: vertical;
  white-space: pre;
  overflow: auto;
}
.read.stale {
  opacity: 0.5;
}
.summary {
  font-weight: 600;
  margin: 2px 0 4px;
}
.lines {
  list-style: none;
  margin: 0;
  padding: 0;
  max-height: 42vh;
  overflow-y: auto;
}
.lines li {
  display: grid;
  grid-template-columns: 34px 1fr 108px;
  gap: 0 10px;
  padding: 3px 0;
  border-bottom: 1px solid var(--hair);
  overflow-wrap: anywhere;
}
.note {
  grid-column: 2 / -1;
}
.strange {
  background: var(--warning-ground);
}
.acts {
  display: flex;
  gap: 8px;
  align-items: center;
  margin-top: 14px;
}
</style>
