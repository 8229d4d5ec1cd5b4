<script setup lang="ts">
/** A name made where it is needed: what it stands for and why, and back to the field with nothing lost. */
import { computed, nextTick, onMounted, ref } from 'vue'
import { Problem } from '@/api/client'
import { useNetworkEdits } from '@/api/networkEdits'
import TextField from '@/ui/TextField.vue'
import { useFrame } from '@/frame/frame'

const props = defineProps<{ name: string; kind: 'addresses' | 'service' }>()
const emit = defineEmits<{ made: [name: string]; close: [] }>()

const { id: network } = useFrame()
const edits = useNetworkEdits(network)
const space = computed(() => (props.kind === 'service' ? 'service' : 'address'))
const worth = ref('')
const why = ref('')
const problems = ref<string[]>([])
const busy = ref(false)
const root = ref<HTMLElement>()
onMounted(async () => {
  await nextTick()
  root.value?.querySelector('input')?.focus()
})

async function make(): Promise<void> {
  if (busy.value) return
  problems.value = []
  busy.value = true
  try {
    const read = worth.value.trim() ? await edits.readMembers(space.value, worth.value) : []
    problems.value = read.flatMap((m) => (m.problem ? [m.problem] : []))
    if (!read.length) problems.value = ['Say what it stands for; a group may be empty, a new name here not.']
    if (problems.value.length) return
    const members = read.map((m) => m.member)
    const thing = { name: props.name, members, traits: [], notes: [], description: why.value.trim() }
    await edits.addName.mutateAsync({ kind: props.kind, thing })
    emit('made', props.name)
  } catch (error) {
    if (!(error instanceof Problem)) throw error
    problems.value = error.problems.length ? error.problems.map((p) => p.message) : [error.detail]
  } finally {
    busy.value = false
  }
}
</script>

<template>
  <!-- Not a form of its own: it stands inside the form of what is being written. -->
  <div
    ref="root"
    class="make"
    role="group"
    :aria-label="`Make ${name}`"
    @keydown.enter.stop.prevent="make"
    @keydown.esc.stop="emit('close')"
  >
    <p class="small">
      <strong>{{ name }}</strong> is to stand for
    </p>
    <TextField
      v-model="worth"
      :label="kind === 'service' ? 'Services' : 'Addresses'"
      :problems="problems"
      :placeholder="kind === 'service' ? 'tcp/8460, udp/8461' : '10.44.10.61, kiosk-3'"
    />
    <TextField v-model="why" label="Why it exists" />
    <p class="acts">
      <button type="button" class="link" :disabled="busy" @click="make">make it ↵</button>
      <button type="button" class="link soft" @click="emit('close')">not now</button>
    </p>
  </div>
</template>

<style scoped>
.make {
  display: grid;
  gap: 6px;
  margin: 6px 0 4px;
  padding: 8px 10px 6px;
  background: color-mix(in srgb, var(--depth-1) 55%, transparent);
  border-left: 2px solid var(--depth-4);
}
.acts {
  display: flex;
  gap: 16px;
}
</style>
