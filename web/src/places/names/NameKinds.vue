<script setup lang="ts">
/** The kinds of names, in a row; schedules have a list of their own. */
import { useRoute } from 'vue-router'
import type { Kind } from '@/places/names/names'

defineProps<{ kind: Kind | '' | 'schedules'; odd?: boolean; oddCount?: number }>()
const emit = defineEmits<{ kind: [kind: Kind | '']; odd: [] }>()
const route = useRoute()

const KINDS: readonly { value: Kind | ''; text: string }[] = [
  { value: '', text: 'all' },
  { value: 'addresses', text: 'addresses' },
  { value: 'service', text: 'services' },
  { value: 'host', text: 'hosts' },
  { value: 'segment', text: 'segments' },
]
const { network } = route.params
</script>

<template>
  <div class="choices" role="toolbar" aria-label="Kinds of names">
    <template v-if="kind === 'schedules'">
      <router-link
        v-for="k in KINDS"
        :key="k.value"
        class="plain choice"
        :to="{ name: 'names', params: { network }, query: { ...route.query, kind: k.value || undefined } }"
        >{{ k.text }}</router-link
      >
    </template>
    <template v-else>
      <button
        v-for="k in KINDS"
        :key="k.value"
        class="plain choice"
        :class="{ on: kind === k.value }"
        :aria-pressed="kind === k.value"
        @click="emit('kind', k.value)"
      >
        {{ k.text }}
      </button>
    </template>
    <router-link
      class="plain choice"
      :class="{ on: kind === 'schedules' }"
      :to="{ name: 'schedules', params: { network }, query: { ...route.query, kind: undefined } }"
      >schedules</router-link
    >
    <button
      v-if="kind !== 'schedules'"
      class="plain choice"
      :class="{ on: odd }"
      :aria-pressed="odd"
      @click="emit('odd')"
    >
      worth a look <span class="warning">{{ oddCount }}</span>
    </button>
  </div>
</template>
