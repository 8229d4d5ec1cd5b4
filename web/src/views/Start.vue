<script setup lang="ts">
/** The way in: the one network there is, or a choice. */
import { watchEffect } from 'vue'
import { useRouter } from 'vue-router'
import { useNetworks } from '@/api/queries'

const router = useRouter()
const { data: networks, error } = useNetworks()

watchEffect(() => {
  if (networks.value?.length === 1)
    void router.replace({ name: 'rules', params: { network: networks.value[0]!.id } })
})
</script>

<template>
  <main class="start">
    <h1>Networks</h1>
    <p v-if="error" class="problem">{{ error.message }}</p>
    <p v-else-if="networks && !networks.length">
      There is no network yet. Write one as a document and bring it in:
      <span class="raw">sarvex import network.yaml</span>
    </p>
    <ul v-else>
      <li v-for="network in networks" :key="network.id">
        <router-link class="link" :to="{ name: 'rules', params: { network: network.id } }">{{
          network.name
        }}</router-link>
        <span class="soft small"> {{ network.description }}</span>
      </li>
    </ul>
  </main>
</template>

<style scoped>
.start {
  max-width: 640px;
  margin: 12vh auto;
  padding: 0 24px;
}
ul {
  margin-top: 16px;
  list-style: none;
}
li {
  padding: 10px 0;
  border-top: 1px solid var(--hair);
}
</style>
