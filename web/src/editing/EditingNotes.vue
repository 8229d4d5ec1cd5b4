<script setup lang="ts">
/** What happened to what is being written: it is gone, it was written before, somebody else changed it. */
defineProps<{ gone: boolean; resumed: boolean; meanwhile: string }>()
</script>

<template>
  <p v-if="gone" class="note" role="alert">
    Somebody has deleted it. What you have written is still here and can be added as new.
  </p>
  <p v-else-if="resumed" class="note">You wrote this before the page was loaded anew. It is not saved yet.</p>
  <p v-if="meanwhile" class="note" role="alert">{{ meanwhile }}</p>
</template>

<style scoped>
.note {
  margin-top: 12px;
  padding: 8px 12px;
  font-size: 13px;
  color: var(--warning);
  background: var(--warning-ground);
}
</style>
