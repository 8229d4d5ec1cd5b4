<script setup lang="ts">
/** The session has ended: whoever was signed in comes back to the page as it was, with what they were writing. */
import { nextTick, onMounted, ref } from 'vue'
import { useSession } from '@/state/session'
import { giveUp } from '@/state/unsaved'

const emit = defineEmits<{ back: [] }>()
const session = useSession()
const login = ref(session.me?.login ?? '')
const password = ref('')
const problem = ref('')
const busy = ref(false)

onMounted(async () => {
  await nextTick()
  document.getElementById('again-password')?.focus()
})

async function submit(): Promise<void> {
  busy.value = true
  const before = session.me?.login
  try {
    await session.signIn(login.value, password.value)
    if (session.me?.login === before) emit('back')
    else {
      giveUp()
      location.assign('/')
    }
  } catch (error) {
    problem.value = (error as Error).message
    password.value = ''
  } finally {
    busy.value = false
  }
}
function elsewhere(): void {
  giveUp()
  location.assign('/sign-in')
}
</script>

<template>
  <v-dialog :model-value="true" persistent max-width="400" :transition="false">
    <form class="sheet" aria-label="Sign in again" @submit.prevent="submit">
      <h2>Your session has ended</h2>
      <p class="soft">What you were writing is still there. Sign in to go on.</p>
      <label for="again-login">Name</label>
      <v-text-field id="again-login" v-model="login" autocomplete="username" />
      <label for="again-password">Password</label>
      <v-text-field id="again-password" v-model="password" type="password" autocomplete="current-password" />
      <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
      <div class="buttons">
        <v-btn type="submit" color="primary" :loading="busy">Go on</v-btn>
        <v-btn variant="outlined" @click="elsewhere">Leave the page</v-btn>
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
