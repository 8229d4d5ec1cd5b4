<script setup lang="ts">
/** The password once more, over the page as it is: after the session has ended, or for what an open session alone may not do. */
import { nextTick, onMounted, ref } from 'vue'
import { api, data, Problem } from '@/api/client'
import { useSession } from '@/api/session'
import { giveUp } from '@/editing/unsaved'

const props = defineProps<{ proof: boolean }>()
const emit = defineEmits<{ back: [done: boolean] }>()
const session = useSession()
const login = ref(session.me?.login ?? '')
const password = ref('')
const code = ref('')
const asked = ref(props.proof && session.me?.second_factor === true)
const problem = ref('')
const busy = ref(false)

onMounted(async () => {
  await nextTick()
  document.getElementById('again-password')?.focus()
})

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
  <v-dialog :model-value="true" persistent max-width="400" :transition="false">
    <form
      class="sheet"
      :aria-label="proof ? 'Your password once more' : 'Sign in again'"
      @submit.prevent="submit"
    >
      <h2>{{ proof ? 'Your password once more' : 'Your session has ended' }}</h2>
      <p class="soft">
        {{
          proof
            ? 'Whoever finds your page open must not be able to do this.'
            : 'What you were writing is still there. Sign in to go on.'
        }}
      </p>
      <template v-if="!proof">
        <label for="again-login">Name</label>
        <v-text-field id="again-login" v-model="login" autocomplete="username" />
      </template>
      <label for="again-password">Password</label>
      <v-text-field id="again-password" v-model="password" type="password" autocomplete="current-password" />
      <template v-if="asked">
        <label for="again-code">Code of your second factor</label>
        <v-text-field id="again-code" v-model="code" autocomplete="one-time-code" inputmode="numeric" />
      </template>
      <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
      <div class="buttons">
        <v-btn type="submit" color="primary" :loading="busy">Go on</v-btn>
        <v-btn variant="outlined" @click="leave">{{ proof ? 'Not now' : 'Leave the page' }}</v-btn>
      </div>
    </form>
  </v-dialog>
</template>

<style scoped>
.sheet {
  padding: 20px;
  background: var(--sheet);
  border-radius: 3px;
}
label {
  display: block;
  margin: 12px 0 4px;
  font-size: 13px;
}
.buttons {
  display: flex;
  gap: 10px;
  margin-top: 18px;
}
</style>
