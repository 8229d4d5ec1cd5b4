<script setup lang="ts">
/** A code besides the password, from an app. */
import { ref } from 'vue'
import { api, data, type Shapes } from '@/api/client'
import { useSession } from '@/api/session'
import { useTold } from '@/places/people/told'
import ToldLine from '@/places/people/ToldLine.vue'
import { problemsAt } from '@/places/rules/ruleDraft'
import TextField from '@/ui/TextField.vue'

const session = useSession()
const { said, failure, problems, act } = useTold()
const offered = ref<Shapes['SecondFactorOffered'] | null>(null)
const code = ref('')

function offer(): void {
  void act(async () => {
    offered.value = await data(api.POST('/api/session/second-factor'))
    code.value = ''
  }, '')
}
async function confirm(): Promise<void> {
  const ok = await act(
    () => data(api.PUT('/api/session/second-factor', { body: { code: code.value } })),
    'From now on you are asked for a code.',
  )
  if (!ok) return
  offered.value = null
  await session.refresh()
}
function remove(): void {
  void act(async () => {
    await data(api.DELETE('/api/session/second-factor'))
    await session.refresh()
  }, 'You are asked for no code any more.')
}
</script>

<template>
  <section v-if="!session.me?.given" aria-label="Second factor">
    <h2>Second factor</h2>
    <ToldLine :said="said" :failure="failure" />
    <p v-if="session.me?.second_factor">
      When you sign in you are asked for a code as well.
      <button class="link" @click="remove">remove it</button>
    </p>
    <template v-else-if="!offered">
      <p class="soft">
        Codes from an app on your phone or your password manager: whoever finds out your password does not get
        in with it.
      </p>
      <v-btn class="offer" variant="outlined" @click="offer">Set one up</v-btn>
    </template>
    <form v-else class="factor" novalidate @submit.prevent="confirm">
      <img
        :src="offered.picture"
        alt="the secret as a picture, for an app to read"
        width="180"
        height="180"
      />
      <div>
        <p>Let the app read the picture, or type this into it:</p>
        <p class="raw">{{ offered.secret.match(/.{4}/g)?.join(' ') }}</p>
        <TextField
          v-model="code"
          label="the code that it shows"
          inputmode="numeric"
          autocomplete="one-time-code"
          :problems="problemsAt(problems, 'code')"
        />
        <div class="acts">
          <v-btn type="submit" color="primary">Confirm</v-btn>
          <v-btn variant="outlined" @click="offered = null">Cancel</v-btn>
        </div>
      </div>
    </form>
  </section>
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
.acts {
  display: flex;
  gap: 12px;
}
img {
  background: #fff;
}
</style>
