<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { useEventListener } from '@vueuse/core'
import { nextTick, ref, watch } from 'vue'
import { RouterLink, useRoute, useRouter } from 'vue-router'
import { answer, api } from '@/shared/api/client'
import { startAnew, useMay, useMe } from '@/shared/session'

const route = useRoute()
const router = useRouter()
const queries = useQueryClient()
const me = useMe()
const may = useMay()
const open = ref(false)
const whole = ref<HTMLElement>()
const button = ref<HTMLButtonElement>()
watch(
  () => route.fullPath,
  () => (open.value = false),
)

async function toggle() {
  open.value = !open.value
  await nextTick()
  if (open.value) whole.value?.querySelector<HTMLElement>('.panel a')?.focus()
}
function close() {
  open.value = false
  button.value?.focus()
}
/** Closed by whatever is pressed or reached by Tab elsewhere. */
function elsewhere(event: Event) {
  if (!whole.value?.contains(event.target as Node)) open.value = false
}
useEventListener(document, ['pointerdown', 'focusin'], elsewhere)

async function openTeam(id: string) {
  await answer(api.POST('/api/me/team', { body: { team_id: id } }))
  window.location.assign('/')
}
async function signOut() {
  await answer(api.POST('/api/sign-out')).catch(() => {})
  await router.push({ name: 'sign-in' })
  await startAnew(queries, 'nobody')
}
</script>

<template>
  <div ref="whole" class="whole" @keydown.esc="open && close()">
    <button
      ref="button"
      type="button"
      class="person"
      aria-haspopup="true"
      :aria-expanded="open"
      aria-controls="person-panel"
      @click="toggle"
    >
      <span class="name">{{ me.data.value?.person ?? '…' }}</span>
      <span class="quiet">{{ me.data.value ? `${me.data.value.role}, ${me.data.value.team}` : '' }}</span>
    </button>
    <nav v-show="open" id="person-panel" class="sheet panel" aria-label="Your own pages">
      <RouterLink to="/account"
        ><b>Your account</b> <span class="quiet">Units, time zone, look, password</span></RouterLink
      >
      <RouterLink v-if="may('driver.change')" to="/people"
        ><b>People</b> <span class="quiet">Roles, invitations, drivers, rigs</span></RouterLink
      >
      <RouterLink to="/history"><b>History</b> <span class="quiet">Who changed what; take it back</span></RouterLink>
      <RouterLink to="/jobs"
        ><b>Background work</b> <span class="quiet">Imports and what else takes long</span></RouterLink
      >
      <template v-if="(me.data.value?.teams.length ?? 0) > 1">
        <button
          v-for="team in me.data.value?.teams.filter((item) => item.id !== me.data.value?.team_id)"
          :key="team.id"
          type="button"
          @click="openTeam(team.id)"
        >
          <b>Go to {{ team.name }}</b> <span class="quiet">there you are {{ team.role }}</span>
        </button>
      </template>
      <button type="button" class="last" @click="signOut"><b>Sign out</b></button>
    </nav>
  </div>
</template>

<style scoped>
.whole {
  position: relative;
}
.person {
  text-align: right;
  line-height: 1.15;
  padding: 1px 8px;
  border-left: 1px solid var(--rule);
}
.person span {
  display: block;
  font-size: 0.8rem;
}
.person .name {
  font-size: 0.95rem;
  font-weight: 600;
  text-decoration: underline;
  text-decoration-color: var(--rule);
  text-underline-offset: 3px;
}
.panel {
  position: absolute;
  right: 0;
  top: calc(100% + 8px);
  z-index: 30;
  width: 270px;
  padding: 6px 0;
  box-shadow: 0 4px 14px rgb(0 0 0 / 18%);
}
.panel > * {
  display: block;
  width: 100%;
  padding: 6px 16px;
  text-align: left;
  text-decoration: none;
  color: var(--ink);
  line-height: 1.2;
}
.panel > *:hover {
  background: color-mix(in srgb, var(--accent) 10%, transparent);
}
.panel .quiet {
  display: block;
  font-size: 0.86rem;
}
.panel .last {
  border-top: 1px solid var(--rule);
  margin-top: 4px;
}
@media (max-width: 760px) {
  .whole {
    margin-left: auto;
  }
}
</style>
