<script setup lang="ts">
/** Something on the page failed: what, and the way out. */
import { fault } from '@/ui/faults'

const reload = () => location.reload()
</script>

<template>
  <p v-if="fault" class="fault" role="alert">
    Something on this page failed: {{ fault }}. What was saved is safe; what you are writing is kept.
    <button class="link" @click="reload">load the page again</button>
    <button class="link" @click="fault = ''">go on</button>
  </p>
</template>

<style scoped>
.fault {
  position: fixed;
  z-index: 3000;
  inset: 56px 0 auto; /* below the band: a form's buttons are at the foot */
  display: flex;
  flex-wrap: wrap;
  gap: 4px 14px;
  padding: 8px 16px;
  color: var(--warning);
  background: var(--warning-ground);
  border-bottom: 1px solid var(--warning);
}
</style>
