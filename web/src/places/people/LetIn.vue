<script setup lang="ts">
/** Somebody new gets a way in. */
import { reactive } from 'vue'
import { api, data } from '@/api/client'
import { MAY, type Role, ROLES, useTold } from '@/places/people/told'
import ToldLine from '@/places/people/ToldLine.vue'
import { problemsAt } from '@/places/rules/ruleDraft'
import ChoiceField from '@/ui/ChoiceField.vue'
import TextField from '@/ui/TextField.vue'

const { said, failure, problems, act } = useTold()
const newcomer = reactive({ login: '', name: '', role: 'viewer' as Role, password: '' })

async function letIn(): Promise<void> {
  const ok = await act(
    () => data(api.POST('/api/people', { body: { ...newcomer } })),
    newcomer.role === 'none'
      ? `${newcomer.login} may sign in, and sees no network yet.`
      : `${newcomer.login} may sign in as ${newcomer.role}.`,
  )
  if (ok) Object.assign(newcomer, { login: '', name: '', role: 'viewer', password: '' })
}
</script>

<template>
  <form class="newcomer" novalidate @submit.prevent="letIn">
    <h2>Let somebody in</h2>
    <ToldLine :said="said" :failure="failure" />
    <div class="account-fields">
      <TextField
        v-model="newcomer.login"
        label="sign-in name"
        autocomplete="off"
        :problems="problemsAt(problems, 'login')"
      />
      <TextField v-model="newcomer.name" label="name" autocomplete="off" />
      <ChoiceField v-model="newcomer.role" label="role" :items="ROLES" />
      <TextField
        v-model="newcomer.password"
        label="password"
        type="password"
        autocomplete="new-password"
        :problems="problemsAt(problems, 'password')"
      />
      <v-btn type="submit" color="primary">Let in</v-btn>
    </div>
    <p class="soft small">{{ newcomer.role }}: {{ MAY[newcomer.role] }}.</p>
  </form>
</template>

<style scoped>
form {
  margin-top: 22px;
}
</style>
