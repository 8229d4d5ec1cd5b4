<script setup lang="ts">
/** The password of whoever is signed in. */
import { reactive } from 'vue'
import { api, data } from '@/api/client'
import { useSession } from '@/api/session'
import { useTold } from '@/places/people/told'
import ToldLine from '@/places/people/ToldLine.vue'
import { problemsAt } from '@/places/rules/ruleDraft'
import TextField from '@/ui/TextField.vue'

const session = useSession()
const { said, failure, problems, act } = useTold()
const password = reactive({ old: '', new: '' })

async function change(): Promise<void> {
  const ok = await act(
    () => data(api.PUT('/api/session/password', { body: { ...password } })),
    'Your password is changed. Your other sessions have ended.',
  )
  if (!ok) return
  Object.assign(password, { old: '', new: '' })
  await session.refresh()
}
</script>

<template>
  <p v-if="session.me?.given" class="warning" role="alert">
    Somebody else gave you this password and knows it. Change it first; then you can go on.
  </p>
  <ToldLine :said="said" :failure="failure" />
  <form class="account-fields" novalidate @submit.prevent="change">
    <TextField
      v-model="password.old"
      label="now"
      type="password"
      autocomplete="current-password"
      :problems="problemsAt(problems, 'old')"
    />
    <TextField
      v-model="password.new"
      label="new, 15 characters or more"
      type="password"
      autocomplete="new-password"
      :problems="problemsAt(problems, 'new')"
    />
    <v-btn type="submit" color="primary">Change</v-btn>
  </form>
</template>
