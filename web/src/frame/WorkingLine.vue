<script setup lang="ts">
/** Something is being saved, or worked out to be saved; told once it takes longer than an eye's blink. */
import { useIsMutating } from '@tanstack/vue-query'

const working = useIsMutating()
</script>

<template>
  <p v-if="working" class="working soon" role="status">working …</p>
</template>

<style scoped>
.working {
  position: fixed;
  right: 16px;
  bottom: 14px;
  z-index: 2400;
  padding: 7px 14px;
  color: var(--band-text);
  background: var(--band);
  border-radius: 2px;
  pointer-events: none;
}
</style>
