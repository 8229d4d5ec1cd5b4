<script setup lang="ts">
/** The releases, newest first: what became of each, device by device, and what can be done about it. */
import { counted } from '@/words'
import { computed } from 'vue'
import type { Shapes } from '@/api/client'
import { useReleaseActs } from '@/api/releases'
import { moment } from '@/ui/dates'
import { fate, type Release, stateOf } from '@/places/editions/releases'
import { useServerClock } from '@/places/editions/serverClock'
import { useAct } from '@/editing/act'
import { useFrame } from '@/frame/frame'

const props = defineProps<{ told: Shapes['ReleasesOut']; may: boolean }>()
const { id: network } = useFrame()
const acts = useReleaseActs(network)
const { busy, problem, act } = useAct()

const now = useServerClock(computed(() => props.told.now))

const can = (r: Release, ...states: Release['state'][]) => props.may && states.includes(r.state)
const STATE = { waiting: 'waits', done: 'has it', failed: 'failed', untouched: 'was not touched' }
const last = computed(() =>
  props.told.releases.find((r) => r.state === 'in force' && r.edition !== props.told.in_force),
)
</script>

<template>
  <section class="releases" aria-label="Releases">
    <h2>Releases</h2>
    <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
    <ol>
      <li
        v-for="r in told.releases"
        :key="r.number"
        :class="r.state.replaceAll(' ', '-')"
        :data-release="r.number"
      >
        <div>
          <strong>{{ r.number }}</strong> edition {{ r.edition }}
          <span v-if="r.before" class="soft">instead of {{ r.before }}</span>
          <span class="state">{{ stateOf(r, told) }}</span>
        </div>
        <p>
          {{ r.reason }} <span v-if="r.reference" class="soft">{{ r.reference }}</span>
        </p>
        <p class="soft small">{{ r.person || 'the command line' }}, {{ moment(r.asked_at) }}</p>
        <p v-if="r.state !== 'in force' || r.note" class="fate">{{ fate(r, now) }}</p>
        <div class="acts">
          <v-btn
            v-if="can(r, 'to be confirmed')"
            color="primary"
            :loading="busy"
            @click="act(() => acts.confirm.mutateAsync(r.number))"
            >It works: confirm</v-btn
          >
          <v-btn
            v-if="can(r, 'to be confirmed', 'being sent', 'stuck')"
            variant="outlined"
            :loading="busy"
            @click="act(() => acts.takeBack.mutateAsync(r.number))"
            >Go back now</v-btn
          >
          <v-btn
            v-if="can(r, 'stuck', 'stuck going back')"
            variant="outlined"
            :loading="busy"
            @click="act(() => acts.retry.mutateAsync(r.number))"
            >Try again</v-btn
          >
          <v-btn
            v-if="can(r, 'planned')"
            variant="outlined"
            :loading="busy"
            @click="act(() => acts.callOff.mutateAsync(r.number))"
            >Call it off</v-btn
          >
          <router-link
            v-if="may && r.number === last?.number"
            class="link small"
            :to="{ query: { number: r.edition } }"
            >bring edition {{ r.edition }} back into force</router-link
          >
        </div>
        <details v-if="r.devices.length" :open="r.state !== 'in force' && r.state !== 'gone back'">
          <summary class="small soft">{{ counted(r.devices.length, 'device') }}</summary>
          <ul>
            <li v-for="d in r.devices" :key="d.device" :class="d.state">
              {{ d.device }} <span class="soft">{{ STATE[d.state] }}</span>
              <span v-if="d.tries > 1" class="soft small"> after {{ d.tries }} tries</span>
              <p v-if="d.detail" class="problem small">{{ d.detail }}</p>
            </li>
          </ul>
        </details>
        <details v-if="Object.keys(r.answers).length">
          <summary class="small soft">released all the same</summary>
          <ul>
            <li v-for="(why, key) in r.answers" :key="key" class="small">
              <span class="soft">{{ key }}:</span> {{ why }}
            </li>
          </ul>
        </details>
      </li>
      <li v-if="!told.releases.length" class="soft">Nothing was released yet.</li>
    </ol>
  </section>
</template>

<style scoped>
summary {
  padding: 4px 0;
  min-height: 26px;
  cursor: pointer;
}
ol,
ul {
  list-style: none;
  padding: 0;
}
ol > li {
  padding: 8px 0 8px 10px;
  border-top: 1px solid var(--hair);
  border-left: 3px solid transparent;
}
ol > .being-sent,
ol > .to-be-confirmed,
ol > .stuck,
ol > .going-back,
ol > .stuck-going-back,
ol > .planned {
  border-left-color: var(--focus);
}
p {
  margin: 0;
}
.state {
  float: right;
  font-size: 12px;
  color: var(--soft);
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
  margin: 4px 0;
}
ul li {
  padding: 2px 0 2px 12px;
}
.failed {
  color: var(--drop);
}
</style>
