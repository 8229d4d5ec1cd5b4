<script setup lang="ts">
/** A file to read: chosen, or dropped here. */
import { ref } from 'vue'

defineProps<{ label: string; accept?: string }>()
const emit = defineEmits<{ file: [file: File] }>()
const input = ref<HTMLInputElement>()
const name = ref('')
const over = ref(false)

function take(files: FileList | null | undefined): void {
  const file = files?.[0]
  if (!file) return
  name.value = file.name
  emit('file', file)
}
function chosen(): void {
  take(input.value?.files)
  if (input.value) input.value.value = '' // the same file, changed since, can be chosen once more
}
</script>

<template>
  <div
    class="file"
    :class="{ over }"
    @dragover.prevent="over = true"
    @dragleave="over = false"
    @drop.prevent="((over = false), take($event.dataTransfer?.files))"
  >
    <button type="button" class="plain choose" @click="input?.click()">{{ label }}</button>
    <span class="soft small">{{ name || 'or drop one here' }}</span>
    <input ref="input" type="file" hidden :accept="accept" :aria-label="label" @change="chosen" />
  </div>
</template>

<style scoped>
.file {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 10px;
  align-items: baseline;
  padding: 6px 8px;
  border: 1px dashed var(--hair);
  font-size: 13px;
}
.file.over {
  border-color: var(--focus);
  background: var(--selected);
}
.choose {
  padding: 4px 10px;
  border: 1px solid var(--ink);
  border-radius: 2px;
}
</style>
