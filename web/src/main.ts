import '@fontsource-variable/atkinson-hyperlegible-next/wght.css'
import '@fontsource-variable/atkinson-hyperlegible-mono/wght.css'
import 'vuetify/styles/core'
import '@/style.css'
import { VueQueryPlugin } from '@tanstack/vue-query'
import { createPinia } from 'pinia'
import { createApp } from 'vue'
import { whenSignedOut } from '@/api/client'
import { client } from '@/api/queryClient'
import App from '@/App.vue'
import { router } from '@/router'
import { watchConnection } from '@/api/reach'
import { useSession } from '@/api/session'
import { guardWindow } from '@/editing/unsaved'
import { watchFaults } from '@/ui/faults'
import { vuetify } from '@/theme'

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
