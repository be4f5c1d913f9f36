import '@fontsource-variable/literata'
import '@fontsource-variable/source-sans-3'
import 'vuetify/styles/core'
import '@/shared/theme/base.css'
import '@/shared/theme/print.css'
import { MutationCache, QueryClient, VueQueryPlugin } from '@tanstack/vue-query'
import { createApp } from 'vue'
import { wasAway } from '@/shared/api/client'
import App from '@/App.vue'
import { askAgainWith } from '@/shared/away'
import { draft, wasSaved, watchDrafts } from '@/shared/drafts'
import { firstFocus } from '@/shared/focus'
import { reads } from '@/shared/reads'
import { tellPart } from '@/shared/renewal'
import { makeRouter } from '@/router'
import { vuetify } from '@/shared/theme/vuetify'

// The server may be this machine's own: being offline says nothing about it.
const queries = new QueryClient({
  mutationCache: new MutationCache({ onSuccess: (_answer, _given, _before, mutation) => wasSaved(mutation) }),
  defaultOptions: {
    queries: { retry: 1, staleTime: 5_000, refetchOnWindowFocus: false, networkMode: 'always' },
    // A server without its database changed nothing, and says so: what was typed is sent again until it is back.
    mutations: { networkMode: 'always', retry: (times, error) => wasAway(error) && times < 40, retryDelay: 3000 },
  },
})
// Parts that pages fetch for themselves, dialogs for instance: nobody presses a button that does nothing.
window.addEventListener('vite:preloadError', () => void tellPart())
askAgainWith(queries)
watchDrafts(queries)
createApp(App)
  .use(vuetify)
  .use(VueQueryPlugin, { queryClient: queries })
  .use(makeRouter(queries))
  .directive('reads', reads)
  .directive('draft', draft)
  .directive('first-focus', firstFocus)
  .mount('#app')
