import '@fontsource-variable/literata'
import '@fontsource-variable/source-sans-3'
import 'vuetify/styles/core'
import '@/theme/base.css'
import { QueryClient, VueQueryPlugin } from '@tanstack/vue-query'
import { createApp } from 'vue'
import App from '@/App.vue'
import { reads } from '@/reads'
import { makeRouter } from '@/router'
import { vuetify } from '@/theme/vuetify'

// The server may be this machine's own: being offline says nothing about it.
const queries = new QueryClient({
  defaultOptions: {
    queries: { retry: 1, staleTime: 5_000, refetchOnWindowFocus: false, networkMode: 'always' },
    mutations: { networkMode: 'always' },
  },
})
createApp(App).use(vuetify).use(VueQueryPlugin, { queryClient: queries }).use(makeRouter(queries)).directive('reads', reads).mount('#app')
