<script setup lang="ts">
/** What somebody is in single networks, where it is not what they are everywhere. */
import { computed, reactive } from 'vue'
import { api, data, type Shapes } from '@/api/client'
import { useNetworks } from '@/api/network'
import { type Role, ROLES, useTold } from '@/places/people/told'
import ChoiceField from '@/ui/ChoiceField.vue'

const props = defineProps<{ person: Shapes['PersonOut'] }>()
const { failure, act } = useTold()
const { data: networks } = useNetworks()
const asked = reactive<{ open: boolean; network: number | null; role: Role }>({
  open: false,
  network: null,
  role: 'viewer',
})
const choices = ROLES.filter((role) => role !== 'administrator')
const others = computed(() =>
  (networks.value ?? [])
    .filter((n) => !props.person.networks.some((given) => given.network_id === n.id))
    .map((n) => ({ title: n.name, value: n.id })),
)
const nameOf = (id: number) => networks.value?.find((n) => n.id === id)?.name ?? `network ${id}`

function give(network: number, role: Role | null): Promise<boolean> {
  return act(
    () =>
      data(
        api.PUT('/api/people/{person_id}/role', {
          params: { path: { person_id: props.person.id } },
          body: { network_id: network, role },
        }),
      ),
    '',
  )
}
async function add(): Promise<void> {
  if (asked.network !== null && (await give(asked.network, asked.role)))
    Object.assign(asked, { open: false, network: null })
}
</script>

<template>
  <ul v-if="person.networks.length" class="given small">
    <li v-for="given in person.networks" :key="given.network_id">
      {{ given.role }} in {{ nameOf(given.network_id) }}
      <button
        class="link"
        :aria-label="`${person.login} in ${nameOf(given.network_id)} as everywhere`"
        @click="give(given.network_id, null)"
      >
        as everywhere
      </button>
    </li>
  </ul>
  <form v-if="asked.open" class="asked" @submit.prevent="add">
    <ChoiceField v-model="asked.role" label="role" :items="choices" />
    <ChoiceField v-model="asked.network" label="in which network" :items="others" />
    <div class="acts">
      <button class="link small" type="submit" :disabled="asked.network === null">give</button>
      <button class="link small" type="button" @click="asked.open = false">cancel</button>
    </div>
  </form>
  <button v-else-if="others.length" class="link small" @click="asked.open = true">
    another in one network
  </button>
  <p v-if="failure" class="problem" role="alert">{{ failure }}</p>
</template>

<style scoped>
.given {
  margin: 4px 0;
  padding: 0;
  list-style: none;
}
.asked {
  display: grid;
  gap: 6px;
  margin: 6px 0;
}
.acts {
  display: flex;
  gap: 12px;
}
</style>
