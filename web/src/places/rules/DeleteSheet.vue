<script setup lang="ts">
/** A rule is about to be deleted: what that would do. Enter deletes it. */
import type { Consequence, RuleRow } from '@/api/client'
import ConsequenceList from '@/editing/ConsequenceList.vue'
import SheetBox from '@/ui/SheetBox.vue'

defineProps<{ row: RuleRow; told: Consequence | null; stale: boolean; failure: string }>()
const emit = defineEmits<{ remove: []; close: []; ask: [question: string] }>()
</script>

<template>
  <SheetBox :title="`Delete ${row.position} ${row.rule.name}?`" @close="emit('close')">
    <ConsequenceList :told="told" :stale="stale" :failure="failure" :few="5" @ask="emit('ask', $event)" />
    <template #end>
      <v-btn data-first color="primary" @click="emit('remove')">Delete</v-btn>
      <v-btn variant="outlined" @click="emit('close')">Cancel</v-btn>
    </template>
  </SheetBox>
</template>
