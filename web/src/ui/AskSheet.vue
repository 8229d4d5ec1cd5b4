<script setup lang="ts">
/** The question that stands; Enter says yes, Esc says no. */
import { computed, toValue } from 'vue'
import { asked } from '@/ui/asking'
import SheetBox from '@/ui/SheetBox.vue'

const lines = computed(() => [toValue(asked.value?.text) ?? []].flat())
</script>

<template>
  <SheetBox v-if="asked" :title="asked.title" role="alertdialog" @close="asked.answer(false)">
    <p v-for="line in lines" :key="line" class="soft line" aria-live="polite">{{ line }}</p>
    <template #end>
      <v-btn color="primary" data-first @click="asked.answer(true)">{{ asked.yes }}</v-btn>
      <v-btn variant="outlined" @click="asked.answer(false)">{{ asked.no }}</v-btn>
    </template>
  </SheetBox>
</template>

<style scoped>
.line {
  margin: 0 0 6px;
}
</style>
