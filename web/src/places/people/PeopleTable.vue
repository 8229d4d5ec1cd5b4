<script setup lang="ts">
/** Everybody who may sign in: their roles, and what may be done about them. */
import { useMutation, useQuery } from '@tanstack/vue-query'
import { reactive } from 'vue'
import { api, data, type Shapes } from '@/api/client'
import NetworkRoles from '@/places/people/NetworkRoles.vue'
import { MAY, ROLES, useTold } from '@/places/people/told'
import ToldLine from '@/places/people/ToldLine.vue'
import ChoiceField from '@/ui/ChoiceField.vue'
import { moment } from '@/ui/dates'

const { said, failure, act } = useTold()
const { data: people } = useQuery({ queryKey: ['people'], queryFn: () => data(api.GET('/api/people')) })
const given = reactive<{ id: number | null; password: string }>({ id: null, password: '' })

const { mutateAsync: patch } = useMutation({
  mutationFn: (x: { id: number } & Partial<Shapes['ChangePerson']>) => {
    const { id, ...body } = x
    return data(
      api.PATCH('/api/people/{person_id}', {
        params: { path: { person_id: id } },
        body: body as Shapes['ChangePerson'],
      }),
    )
  },
})

async function give(person: Shapes['PersonOut']): Promise<void> {
  const ok = await act(
    () => patch({ id: person.id, password: given.password }),
    `${person.login} has a new password; the sessions have ended, and the tokens are revoked.`,
  )
  if (ok) Object.assign(given, { id: null, password: '' })
}

function when(at: string | null | undefined): string {
  return at ? moment(at) : 'never'
}
</script>

<template>
  <div>
    <ToldLine :said="said" :failure="failure" />
    <table class="account-table">
      <thead>
        <tr>
          <th>sign-in name</th>
          <th>name</th>
          <th>role</th>
          <th>last seen</th>
          <th class="right">sessions</th>
          <th><span class="unseen">acts</span></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="person in people" :key="person.id" :class="{ over: person.closed }">
          <td>{{ person.login }}</td>
          <td>{{ person.name }}</td>
          <td>
            <ChoiceField
              quiet
              :label="`role of ${person.login}`"
              :items="ROLES"
              :title="MAY[person.role]"
              :model-value="person.role"
              @update:model-value="
                act(() => patch({ id: person.id, role: $event! }), `${person.login} is ${$event} now.`)
              "
            />
            <NetworkRoles v-if="person.role !== 'administrator'" :person="person" />
          </td>
          <td class="soft small">
            {{ person.closed ? 'shut out' : when(person.seen_at) }}
            <div v-if="person.given && !person.closed">has to change the password</div>
          </td>
          <td class="right">{{ person.sessions }}</td>
          <td>
            <div class="acts">
              <form v-if="given.id === person.id" class="inline" @submit.prevent="give(person)">
                <input
                  v-model="given.password"
                  type="password"
                  autocomplete="new-password"
                  placeholder="15 characters or more"
                  :aria-label="`new password for ${person.login}`"
                />
                <button class="link small" type="submit">give</button>
                <button class="link small" type="button" @click="given.id = null">cancel</button>
              </form>
              <template v-else>
                <button class="link small" @click="Object.assign(given, { id: person.id, password: '' })">
                  new password
                </button>
                <button
                  v-if="person.second_factor"
                  class="link small"
                  @click="
                    act(
                      () => patch({ id: person.id, second_factor: false }),
                      `${person.login} signs in without a code.`,
                    )
                  "
                >
                  lost second factor
                </button>
                <button
                  class="link small"
                  @click="
                    act(
                      () => patch({ id: person.id, closed: !person.closed }),
                      person.closed
                        ? `${person.login} may sign in again.`
                        : `${person.login} may not sign in any more.`,
                    )
                  "
                >
                  {{ person.closed ? 'let back in' : 'shut out' }}
                </button>
              </template>
            </div>
          </td>
        </tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.inline input {
  padding: 3px 6px;
  font: inherit;
  color: inherit;
  background: var(--sheet);
  border: 1px solid var(--hair);
  border-radius: 2px;
}
.acts,
.inline {
  display: flex;
  gap: 12px;
  justify-content: flex-end;
}
</style>
