import '@fontsource-variable/atkinson-hyperlegible-next/wght.css'
import '@fontsource-variable/atkinson-hyperlegible-mono/wght.css'
import 'vuetify/styles/core'
import '@/style.css'
import { MutationCache, QueryClient, VueQueryPlugin } from '@tanstack/vue-query'
import { createPinia } from 'pinia'
import { createApp } from 'vue'
import { Problem, whenSignedOut } from '@/api/client'
import { heard } from '@/api/keys'
import App from '@/App.vue'
import { router } from '@/router'
import { watchConnection } from '@/api/reach'
import { useSession } from '@/api/session'
import { guardWindow } from '@/editing/unsaved'
import { watchFaults } from '@/ui/faults'
import { vuetify } from '@/theme'

// The connection is watched by ourselves: left to the library, an edit made while it is away waits, and is sent when it is
// back, although it was discarded meanwhile.
const client = new QueryClient({
  mutationCache: new MutationCache({
    onSettled: (_, error, content) => {
      if (!(error instanceof Problem && error.status === 0)) heard(content)
    },
  }),
  defaultOptions: {
    mutations: { networkMode: 'always' },
    queries: {
      networkMode: 'always',
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
  if (session.me !== null) session.lapsed = true
})
watchFaults(app, router)
guardWindow()
watchConnection()

app.mount('#app')
