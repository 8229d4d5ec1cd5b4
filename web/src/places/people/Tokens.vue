<script setup lang="ts">
/** What scripts sign in with: told once, for so long, and never for more than one may oneself. */
import { useQuery } from '@tanstack/vue-query'
import { computed, reactive, ref } from 'vue'
import { api, data, type Shapes } from '@/api/client'
import { useNetworks } from '@/api/network'
import { useSession } from '@/api/session'
import { useTold } from '@/places/people/told'
import ToldLine from '@/places/people/ToldLine.vue'
import { problemsAt } from '@/places/rules/ruleDraft'
import ChoiceField from '@/ui/ChoiceField.vue'
import { moment } from '@/ui/dates'
import TextField from '@/ui/TextField.vue'

type Asked = { name: string; role: Shapes['MakeToken']['role']; network: number | null; days: string }
const DAYS = '90'
const session = useSession()
const { said, failure, problems, act } = useTold()
const { data: networks } = useNetworks()
const { data: tokens } = useQuery({
  queryKey: ['tokens'],
  queryFn: () => data(api.GET('/api/tokens')),
  staleTime: 0,
})
const asked = reactive<Asked>({ name: '', role: 'viewer', network: null, days: DAYS })
const made = ref<{ name: string; token: string } | null>(null)
const where = computed(() => [
  { title: 'all that I see', value: null },
  ...(networks.value ?? []).map((n) => ({ title: n.name, value: n.id })),
])
const MAY = [
  { title: 'look and ask', value: 'viewer' },
  { title: 'edit the draft', value: 'editor' },
] as const
const may = (role: string) => MAY.find((one) => one.value === role)?.title ?? role
const ended = (token: Shapes['TokenOut']) => new Date(token.expires_at) < new Date()

async function make(): Promise<void> {
  const { name, role, network, days } = asked
  made.value = null
  await act(async () => {
    const body = { name, role, network_id: network, days: /^\d{1,4}$/.test(days.trim()) ? Number(days) : 0 }
    const { token } = await data(api.POST('/api/tokens', { body }))
    made.value = { name, token }
    Object.assign(asked, { name: '', days: DAYS })
  }, '')
}
function revoke(token: Shapes['TokenOut']): void {
  made.value = null
  void act(
    () => data(api.DELETE('/api/tokens/{token_id}', { params: { path: { token_id: token.id } } })),
    `${token.name} counts for nothing any more.`,
  )
}
async function copy(): Promise<void> {
  await navigator.clipboard.writeText(made.value!.token)
  said.value = 'Copied.'
}
</script>

<template>
  <section aria-label="Tokens for scripts">
    <h2>Tokens for scripts</h2>
    <p class="soft">
      A script signs in with a token instead of your password. It speaks for you, never with more than you
      may, and not for releases, signatures or people.
    </p>
    <ToldLine :said="said" :failure="failure" />
    <div v-if="made" class="made" role="status">
      <p>
        The token <b>{{ made.name }}</b>. It is told this once and kept nowhere: put it where your script
        reads it, as <span class="raw">SARVEX_TOKEN</span>.
      </p>
      <p class="line">
        <code class="raw token">{{ made.token }}</code>
        <button class="link small" @click="copy">copy</button>
        <button class="link small" @click="made = null">I have it</button>
      </p>
    </div>
    <table v-if="tokens?.length" class="account-table">
      <thead>
        <tr>
          <th>name</th>
          <th>may</th>
          <th>where</th>
          <th>ends</th>
          <th>last used</th>
          <th><span class="unseen">acts</span></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="token in tokens" :key="token.id" :class="{ over: ended(token) }">
          <td>
            {{ token.name }}
            <span v-if="token.login !== session.me?.login" class="soft small">of {{ token.login }}</span>
          </td>
          <td>{{ may(token.role) }}</td>
          <td>{{ token.network ?? 'all' }}</td>
          <td class="small">{{ ended(token) ? 'has ended' : moment(token.expires_at) }}</td>
          <td class="small">{{ token.seen_at ? moment(token.seen_at) : 'never' }}</td>
          <td class="right">
            <button class="link small" :aria-label="`revoke ${token.name}`" @click="revoke(token)">
              revoke
            </button>
          </td>
        </tr>
      </tbody>
    </table>
    <form novalidate @submit.prevent="make">
      <div class="account-fields">
        <TextField
          v-model="asked.name"
          label="what it is for"
          placeholder="nightly check"
          autocomplete="off"
          :problems="problemsAt(problems, 'name')"
        />
        <ChoiceField v-model="asked.role" label="may" :items="MAY" :problems="problemsAt(problems, 'role')" />
        <ChoiceField
          v-model="asked.network"
          label="where"
          :items="where"
          :problems="problemsAt(problems, 'network_id')"
        />
        <div class="days">
          <TextField
            v-model="asked.days"
            label="for how many days"
            inputmode="numeric"
            :problems="problemsAt(problems, 'days')"
          />
        </div>
        <v-btn type="submit" color="primary">Make token</v-btn>
      </div>
    </form>
  </section>
</template>

<style scoped>
.days {
  flex-basis: 120px;
}
.made {
  margin: 12px 0;
  padding: 10px 14px;
  border-left: 4px solid var(--depth-5);
  background: var(--sheet);
}
.line {
  display: flex;
  gap: 14px;
  align-items: baseline;
  margin-top: 6px;
}
.token {
  font-size: 14px;
  user-select: all;
  overflow-wrap: anywhere;
}
form {
  margin-top: 12px;
}
</style>
