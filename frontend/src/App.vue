<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { computed, defineAsyncComponent, onBeforeUnmount, onMounted, reactive, ref, watch } from 'vue'
import { RouterView, useRoute, useRouter } from 'vue-router'
import { useTheme } from 'vuetify'
import { whenSignedOut, type Schemas } from '@/shared/api/client'
import { hasUnsaved } from '@/shared/drafts'
import { connect } from '@/shared/live'
import AwayNote from '@/shared/shell/AwayNote.vue'
import ShellHead from '@/shared/shell/ShellHead.vue'
import { themeName } from '@/shared/preferences'
import { goOn, startAnew, useMe } from '@/shared/session'
import { partIsGone } from '@/shared/renewal'
import { turned, useTurning } from '@/shared/turning'

// What isn't seen at first is fetched when it is wanted.
const GuessNote = defineAsyncComponent(() => import('@/shared/shell/GuessNote.vue'))
const SignInForm = defineAsyncComponent(() => import('@/features/people/parts/SignInForm.vue'))
const KeysSheet = defineAsyncComponent(() => import('@/shared/shell/KeysSheet.vue'))
const SearchSheet = defineAsyncComponent(() => import('@/shared/shell/SearchSheet.vue'))
const TurnedLine = defineAsyncComponent(() => import('@/shared/shell/TurnedLine.vue'))

const queries = useQueryClient()
const route = useRoute()
const router = useRouter()
const theme = useTheme()
watch(themeName, (name) => void theme.change(name, false), { immediate: true })

const inside = computed(() => route.matched.length > 0 && !route.meta.open)
const me = useMe()
const keysShown = ref(false)
const searchShown = ref(false)
const { step } = useTurning()
const wanted = reactive({ turned: false, keys: false, search: false })
watch([() => turned.text, keysShown, searchShown], ([text, keys, search]) => {
  if (text) wanted.turned = true
  if (keys) wanted.keys = true
  if (search) wanted.search = true
})

const reload = () => location.reload()
/** Set where somebody was typing when their session ended: they sign in over the page, and it is as it was. */
const again = ref(false)
async function signedOut() {
  if (route.meta.open || again.value) return
  if (hasUnsaved()) {
    again.value = true
    return
  }
  const to = route.fullPath
  await startAnew(queries, 'nobody')
  await router.push({ name: 'sign-in', query: { to, why: 'ended' } })
}
async function entered(ticket: Schemas['Ticket']) {
  const same = await goOn(queries, ticket)
  again.value = false
  if (same) return
  await startAnew(queries, ticket)
  await router.push('/')
}
whenSignedOut(() => void signedOut())

let disconnect = () => {}
watch(
  () => (inside.value && !again.value ? me.data.value?.team_id : undefined),
  (team) => {
    disconnect()
    disconnect = team ? connect(queries, me.data.value?.last_event ?? 0, () => void signedOut()) : () => {}
  },
  { immediate: true },
)

function onKey(event: KeyboardEvent) {
  const writes = (event.target as HTMLElement).closest(
    'input:not([type=checkbox], [type=radio], [type=file]), textarea, select, [contenteditable]',
  )
  const pressed = event.key.toLowerCase()
  if (!inside.value) return
  if ((event.ctrlKey || event.metaKey) && !event.altKey) {
    if (pressed === 'k') {
      event.preventDefault()
      searchShown.value = true
    } else if (!writes && !searchShown.value && (pressed === 'z' || pressed === 'y')) {
      event.preventDefault()
      step(pressed === 'y' || event.shiftKey ? 'redo' : 'undo')
    }
  } else if (event.key === '?' && !writes) keysShown.value = true
}
onMounted(() => {
  window.addEventListener('keydown', onKey)
  // In place before anybody is likely to ask for it, so that what is typed right after Ctrl-K isn't lost; if not now, then when asked.
  window.setTimeout(() => {
    Promise.all([
      import('@/shared/shell/SearchSheet.vue'),
      import('@/shared/shell/KeysSheet.vue'),
      import('@/shared/shell/TurnedLine.vue'),
    ])
      .then(() => Object.assign(wanted, { search: true, keys: true, turned: true }))
      .catch(() => {})
  }, 4000)
})
onBeforeUnmount(() => window.removeEventListener('keydown', onKey))
</script>

<template>
  <v-app>
    <a class="skip" href="#content">Skip to the content</a>
    <ShellHead v-if="inside" @search="searchShown = true" @keys="keysShown = true" />
    <main id="content" tabindex="-1" :class="{ open: route.meta.open }">
      <v-alert v-if="partIsGone" type="warning" role="alert" class="my-3">
        <h1 class="gone">A part of this page couldn’t be loaded</h1>
        Fleet Rival may have been renewed since you opened it. What you typed is kept.
        <template #append><v-btn size="small" variant="outlined" @click="reload">Load the page anew</v-btn></template>
      </v-alert>
      <AwayNote />
      <GuessNote v-if="inside && me.data.value?.wrong_passwords" />
      <RouterView />
    </main>
    <template v-if="inside">
      <TurnedLine v-if="wanted.turned" />
      <KeysSheet v-if="wanted.keys" v-model="keysShown" />
      <SearchSheet v-if="wanted.search" v-model="searchShown" />
    </template>
    <v-dialog v-model="again" fullscreen persistent aria-label="Sign in again">
      <div class="again"><SignInForm ended @entered="entered" /></div>
    </v-dialog>
  </v-app>
</template>

<style scoped>
.again {
  background: rgb(var(--v-theme-background));
  min-height: 100%;
  overflow: auto;
}
.gone {
  font-size: 1rem;
}
main {
  padding: 14px 24px 40px;
  max-width: 1680px;
  outline: none;
}
main.open {
  padding-top: 0;
}
.skip {
  position: absolute;
  left: -999px;
}
.skip:focus {
  left: 8px;
  top: 8px;
  z-index: 9;
  background: var(--sheet);
  padding: 6px 12px;
}
@media (max-width: 600px) {
  main {
    padding-left: 12px;
    padding-right: 12px;
  }
}
</style>
