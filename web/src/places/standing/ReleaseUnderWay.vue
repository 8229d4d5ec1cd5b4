<script setup lang="ts">
/** The release that is on its way or waits to be confirmed: before everything else, with what is left of its time. */
import { computed } from 'vue'
import type { Shapes } from '@/api/client'
import { useReleaseActs } from '@/api/releases'
import { useAct } from '@/editing/act'
import { useFrame } from '@/frame/frame'
import { fate, type Release } from '@/places/editions/releases'
import { useServerClock } from '@/places/editions/serverClock'

const props = defineProps<{ release: Release; told: Shapes['ReleasesOut']; may: boolean }>()
const { id: network } = useFrame()
const acts = useReleaseActs(network)
const { busy, problem, act } = useAct()
const now = useServerClock(computed(() => props.told.now))
const waits = computed(() => props.release.state === 'to be confirmed')
</script>

<template>
  <section class="way" aria-label="Release under way" role="status">
    <p>
      <strong>Release {{ release.number }}</strong> of edition {{ release.edition }}
      <router-link class="link" :to="{ name: 'editions', params: { network, part: 'release' } }">{{
        release.state
      }}</router-link>
      <span class="fate">{{ fate(release, now) }}</span>
    </p>
    <p v-if="may && waits" class="acts">
      <v-btn color="primary" :loading="busy" @click="act(() => acts.confirm.mutateAsync(release.number))"
        >It works: confirm</v-btn
      >
      <v-btn variant="outlined" :loading="busy" @click="act(() => acts.takeBack.mutateAsync(release.number))"
        >Go back now</v-btn
      >
      <router-link class="link" :to="{ name: 'try', params: { network } }">to try</router-link>
    </p>
    <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
  </section>
</template>

<style scoped>
.way {
  margin: 0 0 12px;
  padding: 8px 12px;
  border-left: 4px solid var(--focus);
  background: var(--selected);
}
.fate {
  margin-left: 8px;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 12px;
  align-items: center;
  margin-top: 6px;
}
</style>
