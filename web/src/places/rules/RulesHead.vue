<script setup lang="ts">
/** The policy by name, where it is consulted, what can be done to its rules, and the finder. */
import { computed, nextTick, ref, watch } from 'vue'
import { useDesk } from '@/places/rules/desk'
import KeptSearches from '@/editing/KeptSearches.vue'
import { SIEVES } from '@/places/rules/find'
import { attachment, counted, figure, otherwise } from '@/words'

const desk = useDesk()
const { policy, partial, rows, shown, finding, text, sieve, misread, base, writable, acts } = desk
/** The policy that stands beside this one first: the next in the list. */
const second = computed(() => {
  const listed = desk.whole.value?.policies ?? []
  const at = listed.findIndex((p) => p.id === policy.value?.id)
  return listed.length > 1 ? listed[(at + 1) % listed.length]!.id : null
})
const finder = ref<HTMLInputElement>()
watch(finding, async (on) => {
  await nextTick()
  if (on) finder.value?.focus()
})
</script>

<template>
  <div v-if="policy" class="rules-head">
    <header class="head">
      <h1>{{ policy.name }}</h1>
      <span class="soft facts">
        {{ counted(policy.rules, 'rule') }}, otherwise {{ otherwise(policy)
        }}<template v-if="partial"> · the first {{ rows.length }} are here, the rest is on its way</template
        ><template v-else-if="policy.pending"> · what they decide is being worked out</template>
        <strong v-if="!policy.attachments.length" class="warning"
          >· attached nowhere, so it does nothing</strong
        >
        <template v-else> · {{ policy.attachments.map(attachment).join(' · ') }}</template>
      </span>
      <button
        v-if="second !== null"
        class="plain add"
        title="another policy beside this one"
        @click="desk.beside.other.value = second"
      >
        beside
      </button>
      <button class="plain add" @click="desk.find(true)">find <kbd>f</kbd></button>
      <button class="plain add" :aria-pressed="base.is === 'tidying'" @click="desk.toggleTidying">
        tidy <kbd>t</kbd>
      </button>
      <template v-if="writable">
        <button class="plain add" @click="desk.nameSection(null)">section <kbd>s</kbd></button>
        <button class="plain add" @click="desk.addHere(true)">add <kbd>n</kbd></button>
      </template>
    </header>
    <p v-if="acts.notice.value" class="notice" role="alert">
      {{ acts.notice.value }} <button class="link" @click="acts.notice.value = ''">close</button>
    </p>
    <div v-if="finding" class="finding">
      <input
        ref="finder"
        v-model="text"
        class="find"
        type="search"
        placeholder="words, from:kiosks on:https log:no by:maren"
        title="words, addresses and ports; from: to: on: with names or values; action: decides: log: active: changed:7d by:"
        aria-label="Find rules"
        @keydown.esc="desk.find(false)"
        @keydown.enter.prevent="desk.go(shown[0]?.id ?? 'otherwise')"
      />
      <KeptSearches v-model="text" place="rules" />
      <button
        v-for="s in SIEVES"
        :key="s.value"
        class="plain sieve"
        :class="{ on: sieve === s.value }"
        :aria-pressed="sieve === s.value"
        @click="sieve = s.value"
      >
        {{ s.text }}
      </button>
      <span v-if="misread.length" class="problem small" role="alert">{{ misread.join('; ') }}</span>
      <span v-else class="soft small">{{ figure(shown.length) }} of {{ figure(rows.length) }}</span>
      <button class="link small" @click="desk.find(false)">show all</button>
    </div>
  </div>
</template>

<style scoped>
.head {
  display: flex;
  align-items: baseline;
  gap: 14px;
  padding: 13px 16px 11px;
  border-bottom: 1px solid var(--hair);
}
.facts {
  flex: 1;
  min-width: 0;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.add {
  color: var(--soft);
}
.notice {
  padding: 7px 16px;
  color: var(--warning);
  background: var(--warning-ground);
}
.finding {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 4px 14px;
  padding: 7px 16px;
  border-bottom: 1px solid var(--hair);
}
.sieve {
  color: var(--soft);
  font-size: 13px;
  border-bottom: 2px solid transparent;
}
.sieve.on {
  color: var(--ink);
  border-bottom-color: var(--depth-5);
}
</style>
