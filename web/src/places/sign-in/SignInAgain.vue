<script setup lang="ts">
/** The password once more, over the page as it is: after the session has ended, or for what an open session alone may not do. */
import { nextTick, ref } from 'vue'
import { api, data, Problem } from '@/api/client'
import { useSession } from '@/api/session'
import { giveUp } from '@/editing/unsaved'
import SheetBox from '@/ui/SheetBox.vue'
import TextField from '@/ui/TextField.vue'

const props = defineProps<{ proof: boolean }>()
const emit = defineEmits<{ back: [done: boolean] }>()
const session = useSession()
const login = ref(session.me?.login ?? '')
const password = ref('')
const code = ref('')
const asked = ref(props.proof && session.me?.second_factor === true)
const problem = ref('')
const busy = ref(false)

async function submit(): Promise<void> {
  busy.value = true
  problem.value = ''
  const before = session.me?.login
  try {
    if (props.proof) {
      await data(api.POST('/api/session/proof', { body: { password: password.value, code: code.value } }))
      return emit('back', true)
    }
    await session.signIn(login.value, password.value, code.value)
    if (session.me?.login === before) emit('back', true)
    else {
      giveUp()
      location.assign('/')
    }
  } catch (error) {
    code.value = ''
    if (error instanceof Problem && error.kind === 'code') {
      asked.value = true
      await nextTick()
      document.getElementById('again-code')?.focus()
      return
    }
    const told = error instanceof Problem ? error.problems[0]?.message : undefined
    problem.value = told ?? (error as Error).message
    if (!asked.value) password.value = ''
  } finally {
    busy.value = false
  }
}
function leave(): void {
  if (props.proof) return emit('back', false)
  giveUp()
  location.assign('/sign-in')
}
</script>

<template>
  <SheetBox :title="proof ? 'Your password once more' : 'Your session has ended'" :width="400" persistent>
    <form id="again-form" @submit.prevent="submit">
      <p class="soft">
        {{
          proof
            ? 'Whoever finds your page open must not be able to do this.'
            : 'What you were writing is still there. Sign in to go on.'
        }}
      </p>
      <TextField v-if="!proof" id="again-login" v-model="login" label="Name" autocomplete="username" />
      <TextField
        id="again-password"
        v-model="password"
        data-first
        label="Password"
        type="password"
        autocomplete="current-password"
      />
      <TextField
        v-if="asked"
        id="again-code"
        v-model="code"
        label="Code of your second factor"
        autocomplete="one-time-code"
        inputmode="numeric"
      />
      <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
    </form>
    <template #end>
      <v-btn type="submit" form="again-form" color="primary" :loading="busy">Go on</v-btn>
      <v-btn variant="outlined" @click="leave">{{ proof ? 'Cancel' : 'Sign out' }}</v-btn>
    </template>
  </SheetBox>
</template>
