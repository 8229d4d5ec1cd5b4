<script setup lang="ts">
/** The question that stands; Enter says yes, Esc says no. */
import { asked } from '@/ui/asking'
import SheetBox from '@/ui/SheetBox.vue'
</script>

<template>
  <SheetBox v-if="asked" :title="asked.title" role="alertdialog" @close="asked.answer(false)">
    <p v-if="asked.text" class="soft">{{ asked.text }}</p>
    <template #end>
      <v-btn color="primary" data-first @click="asked.answer(true)">{{ asked.yes }}</v-btn>
      <v-btn variant="outlined" @click="asked.answer(false)">{{ asked.no }}</v-btn>
    </template>
  </SheetBox>
</template>
