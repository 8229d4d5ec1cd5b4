<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { ref, watch } from 'vue'
import { whenProofIsNeeded } from '@/api/client'
import SignInAgain from '@/places/sign-in/SignInAgain.vue'
import { reachable } from '@/api/reach'
import { useSession } from '@/api/session'
import AskSheet from '@/ui/AskSheet.vue'
import FaultLine from '@/ui/FaultLine.vue'

const session = useSession()
const client = useQueryClient()
function back(): void {
  session.lapsed = false
  void client.invalidateQueries()
}

// Something asks for the password once more: it waits until that was given, or was not.
const proving = ref<((done: boolean) => void) | null>(null)
whenProofIsNeeded(() => new Promise((resolve) => (proving.value = resolve)))
function proved(done: boolean): void {
  proving.value?.(done)
  proving.value = null
}
watch(reachable, (is) => is && void client.invalidateQueries())
</script>

<template>
  <v-app :class="{ unreachable: !reachable }">
    <p v-if="!reachable" class="away" role="alert">
      The server cannot be reached. Nothing is saved meanwhile; what you have written stays here.
    </p>
    <router-view />
    <AskSheet />
    <FaultLine />
    <SignInAgain v-if="session.lapsed" :proof="false" @back="back" />
    <SignInAgain v-else-if="proving" proof @back="proved" />
  </v-app>
</template>

<style scoped>
/* It pushes the page down and covers nothing of it. */
.unreachable {
  --away: 34px;
}
.away {
  position: fixed;
  z-index: 3000;
  inset: 0 0 auto;
  height: 34px;
  margin: 0;
  padding: 7px 16px;
  overflow: hidden;
  color: var(--warning);
  background: var(--warning-ground);
}
</style>
