/** Who is signed in. */
import { defineStore } from 'pinia'
import { computed, ref } from 'vue'
import { useRoute } from 'vue-router'
import { api, data, type Me, setCsrf } from '@/api/client'

export const useSession = defineStore('session', () => {
  const me = ref<Me | null>(null)
  const asked = ref(false)
  /** The session has ended while somebody was at work. */
  const lapsed = ref(false)

  const route = useRoute()
  /** What they may where they are: in this network, or everywhere. */
  const role = computed(() => me.value?.networks[String(route.params.network)] ?? me.value?.role ?? 'none')
  const writes = computed(() => !['none', 'viewer'].includes(role.value))

  function remember(person: Me | null): void {
    me.value = person
    setCsrf(person?.csrf ?? '')
  }

  /** Find out once whether a session is open already. */
  async function restore(): Promise<boolean> {
    if (!asked.value) {
      asked.value = true
      remember(await data(api.GET('/api/session')).catch(() => null))
    }
    return me.value !== null
  }

  async function signIn(login: string, password: string, code = ''): Promise<void> {
    remember(await data(api.POST('/api/session', { body: { login, password, code } })))
  }

  /** Ask again who is signed in, and what of. */
  async function refresh(): Promise<void> {
    remember(await data(api.GET('/api/session')))
  }

  async function signOut(): Promise<void> {
    await api.DELETE('/api/session')
    remember(null)
  }

  return { me, role, writes, lapsed, restore, refresh, signIn, signOut }
})
