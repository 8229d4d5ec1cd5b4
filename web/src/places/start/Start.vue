<script setup lang="ts">
/** The way in: the one network there is, or a choice, or a new one. */
import { useQueryClient } from '@tanstack/vue-query'
import { computed, ref, watchEffect } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, data, Problem } from '@/api/client'
import { useNetworks } from '@/api/network'
import FileField from '@/ui/FileField.vue'
import { useSession } from '@/api/session'

const route = useRoute()
const router = useRouter()
const session = useSession()
const client = useQueryClient()
const { data: networks, error } = useNetworks()
const name = ref('')
const failure = ref('')
const writable = computed(() => session.writes)

watchEffect(() => {
  if (networks.value?.length === 1 && route.query.all === undefined)
    void router.replace({ name: 'standing', params: { network: networks.value[0]!.id } })
})

async function make(text: string): Promise<void> {
  failure.value = ''
  try {
    const made = await data(api.POST('/api/networks', { body: { text } }))
    await client.invalidateQueries({ queryKey: ['networks'] })
    await router.push({ name: 'standing', params: { network: made.id } })
  } catch (error) {
    if (!(error instanceof Problem)) throw error
    failure.value = error.problems.length
      ? error.problems.map((p) => `${p.place}: ${p.message}`).join('\n')
      : error.detail
  }
}

async function read(file: File): Promise<void> {
  await make(await file.text())
}
</script>

<template>
  <main class="start">
    <h1>Networks</h1>
    <p v-if="error" class="problem">{{ error.message }}</p>
    <ul v-else>
      <li v-for="network in networks" :key="network.id">
        <router-link class="link" :to="{ name: 'standing', params: { network: network.id } }">{{
          network.name
        }}</router-link>
        <span class="soft small"> {{ network.description }}</span>
      </li>
      <li v-if="networks && !networks.length" class="soft">
        {{
          session.role === 'none'
            ? 'None that you may see; an administrator says which you may.'
            : 'There is none yet.'
        }}
      </li>
    </ul>
    <template v-if="writable">
      <form
        class="new"
        @submit.prevent="name.trim() && make(JSON.stringify({ sarvex: 1, name: name.trim() }))"
      >
        <label for="new-name">Begin a new one</label>
        <input id="new-name" v-model="name" placeholder="its name" />
        <v-btn type="submit" color="primary" :disabled="!name.trim()">Begin</v-btn>
      </form>
      <FileField label="Bring one in as a document" accept=".yaml,.yml,.json" class="bring" @file="read" />
      <p v-if="failure" class="problem told" role="alert">{{ failure }}</p>
    </template>
    <p class="soft small away">
      <router-link class="link" to="/people">people, password, sessions</router-link>
    </p>
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
  padding: 0;
  list-style: none;
}
li {
  display: flex;
  gap: 14px;
  align-items: baseline;
  padding: 10px 0;
  border-top: 1px solid var(--hair);
}
li > .link {
  flex: none;
}
.new {
  display: flex;
  gap: 12px;
  align-items: center;
  margin-top: 18px;
}
.new input {
  flex: 1;
  padding: 6px 10px;
  font: inherit;
  color: inherit;
  background: var(--sheet);
  border: 1px solid var(--hair);
}
.bring {
  margin-top: 18px;
}
.told {
  white-space: pre-line;
  margin-top: 10px;
}
.away {
  margin-top: 32px;
}
</style>
