<script setup lang="ts">
/** A sheet above the page: named by its title, and what had the focus before has it again when it goes. */
import { nextTick, onBeforeUnmount, onMounted, ref, useId } from 'vue'

withDefaults(
  defineProps<{
    title: string
    width?: number
    /** Only its own buttons close it. */
    persistent?: boolean
    role?: 'dialog' | 'alertdialog'
  }>(),
  { width: 420, persistent: false, role: 'dialog' },
)
const emit = defineEmits<{ close: [] }>()
const id = useId()
const box = ref<HTMLElement>()
const before = document.activeElement

onMounted(async () => {
  await nextTick()
  await nextTick() // it is moved to where sheets are first
  const first =
    box.value?.querySelector<HTMLElement>('[data-first]') ??
    box.value?.querySelector<HTMLElement>('input, textarea')
  ;(first ?? box.value)?.focus()
})
onBeforeUnmount(() => {
  const back = before
  requestAnimationFrame(() => {
    const at = document.activeElement
    if (back instanceof HTMLElement && back.isConnected && (!at || at === document.body)) back.focus()
  })
})
</script>

<template>
  <v-dialog
    :model-value="true"
    :width="width"
    max-width="94vw"
    :persistent="persistent"
    :transition="false"
    :role="role"
    aria-modal="true"
    :aria-labelledby="id"
    @update:model-value="(open: boolean) => open || emit('close')"
  >
    <div ref="box" class="sheet-box" tabindex="-1">
      <h2 :id="id">{{ title }}</h2>
      <slot />
      <div v-if="$slots.end" class="end"><slot name="end" /></div>
    </div>
  </v-dialog>
</template>

<style scoped>
.sheet-box {
  padding: 20px 22px;
  max-height: 88vh;
  overflow-y: auto;
  background: var(--sheet);
  border-radius: 3px;
  outline: none;
}
h2 {
  margin-bottom: 6px;
}
.end {
  display: flex;
  flex-wrap: wrap;
  gap: 10px;
  align-items: center;
  margin-top: 16px;
}
</style>
