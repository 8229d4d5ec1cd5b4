<script setup lang="ts">
/** People: who may do what here, and which of my sessions are open? */
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, reactive, ref } from 'vue'
import { api, data, Problem, type ProblemOut, type Shapes } from '@/api/client'
import { moment } from '@/places/editions/releases'
import { problemsAt } from '@/places/rules/ruleDraft'
import { useSession } from '@/api/session'

type Role = Shapes['PersonOut']['role']
const ROLES: readonly Role[] = ['viewer', 'editor', 'releaser', 'administrator']
const MAY: Record<Role, string> = {
  viewer: 'looks and asks',
  editor: 'edits the draft',
  releaser: 'edits, and brings into force',
  administrator: 'all that, and says who may do what',
}

const session = useSession()
const client = useQueryClient()
const administrates = computed(() => session.me?.role === 'administrator')

const { data: people } = useQuery({
  queryKey: ['people'],
  queryFn: () => data(api.GET('/api/people')),
  enabled: administrates,
})
const { data: sessions } = useQuery({
  queryKey: ['sessions'],
  queryFn: () => data(api.GET('/api/session/all')),
  staleTime: 0,
})

const said = ref('')
const failure = ref('')
const problems = ref<ProblemOut[]>([])
const password = reactive({ old: '', new: '' })
const newcomer = reactive({ login: '', name: '', role: 'viewer' as Role, password: '' })
const given = reactive<{ id: number | null; password: string }>({ id: null, password: '' })

async function act(what: () => Promise<unknown>, done: string): Promise<boolean> {
  said.value = failure.value = ''
  problems.value = []
  try {
    await what()
    said.value = done
    return true
  } catch (error) {
    if (!(error instanceof Problem)) throw error
    problems.value = error.problems
    failure.value = error.problems.length ? error.problems.map((p) => p.message).join('; ') : error.detail
    return false
  } finally {
    void client.invalidateQueries({ queryKey: ['people'] })
    void client.invalidateQueries({ queryKey: ['sessions'] })
  }
}

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

async function changePassword(): Promise<void> {
  const ok = await act(
    () => data(api.PUT('/api/session/password', { body: { ...password } })),
    'Your password is changed. Your other sessions have ended.',
  )
  if (ok) Object.assign(password, { old: '', new: '' })
  if (ok) await session.refresh()
}

const offered = ref<Shapes['SecondFactorOffered'] | null>(null)
const code = ref('')
function offerFactor(): void {
  void act(async () => {
    offered.value = await data(api.POST('/api/session/second-factor'))
    code.value = ''
  }, '')
}
async function confirmFactor(): Promise<void> {
  const ok = await act(
    () => data(api.PUT('/api/session/second-factor', { body: { code: code.value } })),
    'From now on you are asked for a code.',
  )
  if (!ok) return
  offered.value = null
  await session.refresh()
}
function takeFactorAway(): void {
  void act(async () => {
    await data(api.DELETE('/api/session/second-factor'))
    await session.refresh()
  }, 'You are asked for no code any more.')
}

async function letIn(): Promise<void> {
  const ok = await act(
    () => data(api.POST('/api/people', { body: { ...newcomer } })),
    `${newcomer.login} may sign in as ${newcomer.role}.`,
  )
  if (ok) Object.assign(newcomer, { login: '', name: '', role: 'viewer', password: '' })
}

async function give(person: Shapes['PersonOut']): Promise<void> {
  const ok = await act(
    () => patch({ id: person.id, password: given.password }),
    `${person.login} has a new password; the sessions have ended.`,
  )
  if (ok) Object.assign(given, { id: null, password: '' })
}

function endSession(handle: string): void {
  void act(
    () => data(api.DELETE('/api/session/all/{handle}', { params: { path: { handle } } })),
    'The session has ended.',
  )
}

function when(at: string | null | undefined): string {
  return at ? moment(at) : 'never'
}
</script>

<template>
  <div class="people">
    <header class="band">
      <router-link to="/?all" class="mark plain" aria-label="Sarvex, all networks"
        >Sar<span class="v">v</span>ex</router-link
      >
      <span class="soft-on-band">{{ session.me?.name }}, {{ session.me?.role }}</span>
    </header>
    <main>
      <p v-if="said" class="said" role="status">{{ said }}</p>
      <p v-if="failure" class="problem" role="alert">{{ failure }}</p>

      <section v-if="administrates">
        <h1>People</h1>
        <table>
          <thead>
            <tr>
              <th>sign-in name</th>
              <th>name</th>
              <th>role</th>
              <th>last seen</th>
              <th class="right">sessions</th>
              <th></th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="person in people" :key="person.id" :class="{ closed: person.closed }">
              <td>{{ person.login }}</td>
              <td>{{ person.name }}</td>
              <td>
                <select
                  :value="person.role"
                  :aria-label="`role of ${person.login}`"
                  :title="MAY[person.role]"
                  @change="
                    act(
                      () =>
                        patch({ id: person.id, role: ($event.target as HTMLSelectElement).value as Role }),
                      `${person.login} is ${($event.target as HTMLSelectElement).value} now.`,
                    )
                  "
                >
                  <option v-for="role in ROLES" :key="role" :value="role">{{ role }}</option>
                </select>
              </td>
              <td class="soft small">
                {{ person.closed ? 'account closed' : when(person.seen_at) }}
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
                    <button class="link small" type="button" @click="given.id = null">leave</button>
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
                      {{ person.closed ? 'open again' : 'close' }}
                    </button>
                  </template>
                </div>
              </td>
            </tr>
          </tbody>
        </table>
        <form class="newcomer" novalidate @submit.prevent="letIn">
          <h2>Let somebody in</h2>
          <div class="fields">
            <v-text-field
              v-model="newcomer.login"
              label="sign-in name"
              autocomplete="off"
              :error-messages="problemsAt(problems, 'login')"
            />
            <v-text-field v-model="newcomer.name" label="name" autocomplete="off" />
            <v-select v-model="newcomer.role" label="role" :items="[...ROLES]" />
            <v-text-field
              v-model="newcomer.password"
              label="password"
              type="password"
              autocomplete="new-password"
              :error-messages="problemsAt(problems, 'password')"
            />
            <v-btn type="submit" color="primary">Let in</v-btn>
          </div>
          <p class="soft small">A {{ newcomer.role }} {{ MAY[newcomer.role] }}.</p>
        </form>
      </section>

      <section>
        <component :is="administrates ? 'h2' : 'h1'">Your password</component>
        <p v-if="session.me?.given" class="warning" role="alert">
          Somebody else gave you this password and knows it. Change it first; then you can go on.
        </p>
        <form class="fields" novalidate @submit.prevent="changePassword">
          <v-text-field
            v-model="password.old"
            label="now"
            type="password"
            autocomplete="current-password"
            :error-messages="problemsAt(problems, 'old')"
          />
          <v-text-field
            v-model="password.new"
            label="new, 15 characters or more"
            type="password"
            autocomplete="new-password"
            :error-messages="problemsAt(problems, 'new')"
          />
          <v-btn type="submit" color="primary">Change</v-btn>
        </form>
      </section>

      <section v-if="!session.me?.given" aria-label="Second factor">
        <h2>Second factor</h2>
        <p v-if="session.me?.second_factor">
          When you sign in you are asked for a code as well.
          <button class="link" @click="takeFactorAway">take it away</button>
        </p>
        <template v-else-if="!offered">
          <p class="soft">
            Codes from an app on your phone or your password manager: whoever finds out your password does not
            get in with it.
          </p>
          <v-btn class="offer" variant="outlined" @click="offerFactor">Set one up</v-btn>
        </template>
        <form v-else class="factor" novalidate @submit.prevent="confirmFactor">
          <img
            :src="offered.picture"
            alt="the secret as a picture, for an app to read"
            width="180"
            height="180"
          />
          <div>
            <p>Let the app read the picture, or type this into it:</p>
            <p class="raw">{{ offered.secret.match(/.{4}/g)?.join(' ') }}</p>
            <v-text-field
              v-model="code"
              label="the code that it shows"
              inputmode="numeric"
              autocomplete="one-time-code"
              :error-messages="problemsAt(problems, 'code')"
            />
            <div class="acts">
              <v-btn type="submit" color="primary">Confirm</v-btn>
              <v-btn variant="outlined" @click="offered = null">Leave it</v-btn>
            </div>
          </div>
        </form>
      </section>

      <section>
        <h2>Your sessions</h2>
        <ul>
          <li v-for="open in sessions" :key="open.handle">
            <span>{{ open.own ? 'this one' : open.client || 'unknown browser' }}</span>
            <span class="soft small">since {{ when(open.created_at) }}, seen {{ when(open.seen_at) }}</span>
            <button v-if="!open.own" class="link small" @click="endSession(open.handle)">end</button>
          </li>
        </ul>
      </section>
    </main>
  </div>
</template>

<style scoped>
.offer {
  margin-top: 10px;
}
.factor {
  display: flex;
  gap: 24px;
  max-width: 640px;
  margin-top: 10px;
}
.factor > div {
  display: grid;
  gap: 10px;
  align-content: start;
}
.factor p {
  margin: 0;
}
.factor .acts {
  justify-content: flex-start;
}
.factor img {
  background: #fff;
}
.people {
  position: fixed;
  inset: 0;
  display: grid;
  grid-template-rows: 56px minmax(0, 1fr);
}
.band {
  display: flex;
  align-items: center;
  gap: 20px;
  padding: 0 16px;
  background: var(--band);
  color: var(--band-text);
}
.mark {
  font-size: 18px;
  font-weight: 700;
}
.v {
  color: #9dc0c9;
}
.soft-on-band {
  color: var(--band-soft);
}
main {
  overflow-y: auto;
  padding: 22px 32px 60px;
  max-width: 1040px;
}
section {
  margin-bottom: 34px;
}
table {
  width: 100%;
  margin-top: 10px;
  border-collapse: collapse;
}
th {
  text-align: left;
  font-size: 12px;
  font-weight: 400;
  color: var(--soft);
}
th,
td {
  padding: 6px 12px 6px 0;
  border-bottom: 1px solid var(--hair);
}
.right {
  text-align: right;
}
.closed td {
  color: var(--soft);
}
select,
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
.newcomer {
  margin-top: 22px;
}
.fields {
  display: flex;
  flex-wrap: wrap;
  gap: 12px;
  align-items: flex-start;
  margin-top: 10px;
}
.fields > * {
  flex: 0 1 210px;
}
.fields > .v-btn {
  flex: none;
  margin-top: 3px;
}
ul {
  list-style: none;
  padding: 0;
}
li {
  display: flex;
  gap: 16px;
  align-items: baseline;
  padding: 6px 0;
  border-bottom: 1px solid var(--hair);
}
li > span:first-child {
  flex: 1;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.said {
  margin-bottom: 12px;
  padding-left: 12px;
  border-left: 4px solid var(--depth-5);
}
</style>
