<script setup lang="ts">
/** What was done, or why it was not. */
defineProps<{ said: string; failure: string }>()
</script>

<template>
  <p v-if="said" class="said" role="status">{{ said }}</p>
  <p v-if="failure" class="problem" role="alert">{{ failure }}</p>
</template>

<style scoped>
.said {
  margin: 10px 0;
  padding-left: 12px;
  border-left: 4px solid var(--depth-5);
}
</style>
