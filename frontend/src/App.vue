<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { onBeforeUnmount, onMounted, ref } from 'vue'
import { RouterLink, RouterView } from 'vue-router'
import { answer, api } from '@/api/client'
import KeysSheet from '@/parts/KeysSheet.vue'

const me = useQuery({ queryKey: ['me'], queryFn: () => answer(api.GET('/api/me')), staleTime: Infinity })
const keysShown = ref(false)

function onKey(event: KeyboardEvent) {
  const target = event.target as HTMLElement
  if (event.key === 'Escape') keysShown.value = false
  else if (event.key === '?' && !target.closest('input, textarea, [contenteditable]')) keysShown.value = true
}
onMounted(() => window.addEventListener('keydown', onKey))
onBeforeUnmount(() => window.removeEventListener('keydown', onKey))
</script>

<template>
  <v-app>
    <a class="skip" href="#content">Skip to the content</a>
    <header class="head">
      <RouterLink class="mark" to="/">Fleet Rival</RouterLink>
      <nav aria-label="Steps of the work">
        <RouterLink to="/">Week</RouterLink>
      </nav>
      <span class="who quiet">{{ me.data.value ? `${me.data.value.team} · ${me.data.value.person}, ${me.data.value.role}` : '' }}</span>
      <button class="keys" type="button" aria-label="Keys of this page" @click="keysShown = true">?</button>
    </header>
    <main id="content" tabindex="-1">
      <RouterView />
    </main>
    <KeysSheet v-model="keysShown" />
  </v-app>
</template>

<style scoped>
.head {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 4px 22px;
  padding: 8px 24px 7px;
  border-bottom: 2px solid var(--ink);
}
.mark {
  font-family: var(--serif);
  font-size: 1.15rem;
  font-weight: 640;
  color: var(--ink);
  text-decoration: none;
}
nav a {
  color: var(--ink);
  text-decoration: none;
  padding: 2px 1px;
}
nav a.router-link-exact-active {
  border-bottom: 3px solid var(--accent);
  font-weight: 600;
}
.who {
  margin-left: auto;
  font-size: 0.9rem;
}
.keys {
  width: 24px;
  height: 24px;
  border: 1px solid var(--quiet);
  border-radius: 3px;
}
main {
  padding: 14px 24px 40px;
  max-width: 1680px;
  outline: none;
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
  .head,
  main {
    padding-left: 12px;
    padding-right: 12px;
  }
  .who {
    order: 3;
    margin-left: 0;
    width: 100%;
  }
}
</style>
