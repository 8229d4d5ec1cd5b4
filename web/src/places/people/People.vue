<script setup lang="ts">
/** People: who may do what here, and which of my sessions are open? */
import { computed } from 'vue'
import { useSession } from '@/api/session'
import LetIn from '@/places/people/LetIn.vue'
import OpenSessions from '@/places/people/OpenSessions.vue'
import OwnPassword from '@/places/people/OwnPassword.vue'
import PeopleTable from '@/places/people/PeopleTable.vue'
import SecondFactor from '@/places/people/SecondFactor.vue'
import Tokens from '@/places/people/Tokens.vue'

const session = useSession()
const administrates = computed(() => session.role === 'administrator')
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
      <section v-if="administrates">
        <h1>People</h1>
        <PeopleTable />
        <LetIn />
      </section>
      <section>
        <component :is="administrates ? 'h2' : 'h1'">Your password</component>
        <OwnPassword />
      </section>
      <SecondFactor />
      <Tokens v-if="!session.me?.given" />
      <section>
        <h2>Your sessions</h2>
        <OpenSessions />
      </section>
    </main>
  </div>
</template>

<style scoped>
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
main > * {
  margin-bottom: 34px;
}
</style>
