import '@fontsource-variable/literata'
import '@fontsource-variable/source-sans-3'
import 'vuetify/styles'
import '@/theme/base.css'
import { VueQueryPlugin } from '@tanstack/vue-query'
import { createApp } from 'vue'
import App from '@/App.vue'
import { router } from '@/router'
import { vuetify } from '@/theme/vuetify'

createApp(App)
  .use(vuetify)
  .use(router)
  .use(VueQueryPlugin, {
    // The server may be this machine's own: being offline says nothing about it.
    queryClientConfig: {
      defaultOptions: {
        queries: { retry: 1, staleTime: 5_000, refetchOnWindowFocus: false, networkMode: 'always' },
        mutations: { networkMode: 'always' },
      },
    },
  })
  .mount('#app')
