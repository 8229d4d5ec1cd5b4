import '@fontsource-variable/atkinson-hyperlegible-next/wght.css'
import '@fontsource-variable/atkinson-hyperlegible-mono/wght.css'
import 'vuetify/styles'
import './style.css'
import { QueryClient, VueQueryPlugin } from '@tanstack/vue-query'
import { createPinia } from 'pinia'
import { createApp } from 'vue'
import { Problem, whenSignedOut } from './api/client'
import App from './App.vue'
import { router } from './router'
import { useSession } from './state/session'
import { vuetify } from './theme'

const client = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: Infinity,
      gcTime: 60_000,
      retry: (count, error) =>
        count < 2 && error instanceof Problem && (error.status === 0 || error.status >= 500),
    },
  },
})

const app = createApp(App)
app.use(createPinia())
app.use(router)
app.use(vuetify)
app.use(VueQueryPlugin, { queryClient: client })

whenSignedOut(() => {
  const session = useSession()
  const place = router.currentRoute.value
  session.forget()
  client.clear()
  if (place.name !== 'sign-in') void router.push({ name: 'sign-in', query: { to: place.fullPath } })
})

app.mount('#app')
