<script setup lang="ts">
/** A section gets its name. */
import { ref } from 'vue'
import { Problem } from '@/api/client'
import type { Naming } from '@/places/rules/mode'
import SheetBox from '@/ui/SheetBox.vue'
import TextField from '@/ui/TextField.vue'

const props = defineProps<{
  naming: Naming
  /** The row that a new one begins at, as it is shown. */
  begins: string
  save: (naming: Naming) => Promise<unknown>
}>()
const emit = defineEmits<{ close: [] }>()
const name = ref(props.naming.name)
const problems = ref<string[]>([])
const busy = ref(false)

async function submit(): Promise<void> {
  busy.value = true
  try {
    await props.save({ ...props.naming, name: name.value })
    emit('close')
  } catch (error) {
    problems.value = [error instanceof Problem ? (error.problems[0]?.message ?? error.detail) : String(error)]
  } finally {
    busy.value = false
  }
}
</script>

<template>
  <SheetBox :title="naming.id === null ? 'Begin a section' : 'Rename the section'" @close="emit('close')">
    <form id="section-form" @submit.prevent="submit">
      <p class="soft">
        {{ naming.id === null ? `It begins at ${begins}.` : 'Its rules stay where they are.' }}
      </p>
      <TextField id="section-name" v-model="name" label="Name of the section" :problems="problems" />
    </form>
    <template #end>
      <v-btn type="submit" form="section-form" color="primary" :loading="busy">{{
        naming.id === null ? 'Begin' : 'Rename'
      }}</v-btn>
      <v-btn variant="outlined" @click="emit('close')">Cancel</v-btn>
    </template>
  </SheetBox>
</template>
