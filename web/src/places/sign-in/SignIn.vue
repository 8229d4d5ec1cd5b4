<script setup lang="ts">
import { nextTick, onMounted, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { Problem } from '@/api/client'
import LineCode from '@/chart/LineCode.vue'
import TextField from '@/ui/TextField.vue'
import { useSession } from '@/api/session'

const session = useSession()
const route = useRoute()
const router = useRouter()
const login = ref('')
const password = ref('')
const code = ref('')
/** Whoever has a second factor is asked for its code once the password is right. */
const asked = ref(false)
const problem = ref('')
const busy = ref(false)

// At once: Vuetify's own autofocus comes late and would take the focus from the password.
onMounted(() => document.getElementById('login')?.focus())

async function signIn(): Promise<void> {
  if (!login.value || !password.value) {
    problem.value = 'Name and password are both needed.'
    return
  }
  busy.value = true
  try {
    await session.signIn(login.value, password.value, code.value)
    const to = typeof route.query.to === 'string' && /^\/(?!\/)/.test(route.query.to) ? route.query.to : '/'
    await router.push(to)
  } catch (error) {
    code.value = ''
    if (error instanceof Problem && error.kind === 'code') {
      asked.value = true
      problem.value = ''
      await nextTick()
      document.getElementById('code')?.focus()
      return
    }
    problem.value = (error as Error).message
    if (!asked.value) password.value = ''
  } finally {
    busy.value = false
  }
}
</script>

<template>
  <main class="page">
    <div class="depths" aria-hidden="true">
      <svg preserveAspectRatio="none" viewBox="0 0 600 800">
        <path d="M90 0 C60 200 130 420 80 800 H600 V0Z" fill="var(--depth-1)" />
        <path d="M210 0 C250 230 160 480 220 800 H600 V0Z" fill="var(--depth-2)" />
        <path d="M350 0 C310 260 400 500 340 800 H600 V0Z" fill="var(--depth-3)" />
        <path d="M480 0 C520 240 430 520 490 800 H600 V0Z" fill="var(--depth-4)" />
      </svg>
      <LineCode course="allow" class="way" />
    </div>
    <form class="form" @submit.prevent="signIn">
      <h1>Sar<span class="v">v</span>ex</h1>
      <p class="soft">Who may reach what, and why.</p>
      <TextField id="login" v-model="login" label="Name" autocomplete="username" />
      <TextField
        id="password"
        v-model="password"
        label="Password"
        type="password"
        autocomplete="current-password"
      />
      <TextField
        v-if="asked"
        id="code"
        v-model="code"
        label="Code of your second factor"
        autocomplete="one-time-code"
        inputmode="numeric"
      />
      <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
      <v-btn type="submit" color="primary" :loading="busy" height="36">Sign in</v-btn>
    </form>
  </main>
</template>

<style scoped>
.page {
  position: fixed;
  inset: 0;
  display: grid;
  grid-template-columns: minmax(360px, 1fr) 1.1fr;
  background: var(--paper);
}
.depths {
  grid-column: 2;
  grid-row: 1;
  position: relative;
}
.depths > svg {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
}
.way {
  position: absolute;
  left: -40px;
  right: 16%;
  top: 46%;
}
.form {
  grid-column: 1;
  grid-row: 1;
  align-self: center;
  justify-self: center;
  width: 300px;
  display: flex;
  flex-direction: column;
}
h1 {
  font-size: 34px;
}
.v {
  color: var(--depth-4);
}
.form :deep(.v-btn) {
  margin-top: 20px;
  align-self: start;
}
p {
  margin-bottom: 4px;
}
.problem {
  margin-top: 10px;
}
</style>
