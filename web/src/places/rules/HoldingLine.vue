<script setup lang="ts">
/** What must hold, pinned below the rules: those that do not, by name, as the draft is now. */
import { computed } from 'vue'
import { useExpectations } from '@/api/expectations'
import { useFrame } from '@/frame/frame'
import { inOrder, isBad, standing } from '@/places/verify/holding'

const FEW = 3
const { id: network, revision } = useFrame()
const { data } = useExpectations(network, revision)
const all = computed(() => inOrder(data.value?.expectations ?? []))
const bad = computed(() => all.value.filter((one) => isBad(one.verdict)))
</script>

<template>
  <p v-if="all.length" class="holding small" data-testid="pinned">
    <router-link class="plain" :class="{ bad: bad.length }" :to="{ name: 'holds', params: { network } }"
      >{{ bad.length ? '' : 'Of what must hold ' }}{{ standing(all) }}</router-link
    >
    <router-link
      v-for="one in bad.slice(0, FEW)"
      :key="one.id"
      class="link"
      :to="{ name: 'holds', params: { network, expectation: one.id } }"
      >{{ one.thing.name }}</router-link
    >
    <span v-if="bad.length > FEW" class="soft">and {{ bad.length - FEW }} more</span>
  </p>
</template>

<style scoped>
.holding {
  display: flex;
  gap: 4px 14px;
  padding: 6px 16px;
  overflow: hidden;
  white-space: nowrap;
  color: var(--soft);
  border-top: 1px solid var(--hair);
}
.holding > .link {
  overflow: hidden;
  text-overflow: ellipsis;
}
.bad {
  color: var(--reject);
  font-weight: 650;
}
</style>
