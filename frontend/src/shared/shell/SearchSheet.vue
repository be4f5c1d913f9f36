<script setup lang="ts">
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed, nextTick, ref, watch } from 'vue'
import { RouterLink, useRouter, type RouteLocationRaw } from 'vue-router'
import { answer, api, type Found } from '@/shared/api/client'
import TroubleNote from '@/shared/parts/TroubleNote.vue'

const open = defineModel<boolean>({ required: true })
const router = useRouter()
const text = ref('')
const asked = ref('')
const at = ref(0)
const input = ref<HTMLInputElement>()
let timer = 0
watch(text, (value) => {
  window.clearTimeout(timer)
  timer = window.setTimeout(() => (asked.value = value.trim()), 120)
})
watch(
  open,
  async (now) => {
    if (!now) return
    text.value = asked.value = ''
    at.value = 0
    await nextTick()
    input.value?.focus()
  },
  { immediate: true },
)
const found = useQuery({
  queryKey: ['search', asked],
  enabled: computed(() => open.value && !!asked.value),
  placeholderData: keepPreviousData,
  queryFn: () => answer(api.GET('/api/search', { params: { query: { q: asked.value } } })),
})
const items = computed(() => (asked.value ? (found.data.value?.items ?? []) : []))
watch(items, () => (at.value = 0))
const kindWords: Record<Found['kind'], string> = {
  driver: 'Drivers',
  week: 'Weeks',
  combination: 'Combinations',
  track: 'Tracks',
  car: 'Cars',
  corner: 'Corners',
  run: 'Runs',
}

function target(item: Found): RouteLocationRaw {
  if (item.week_id) return { name: 'series-week', params: { id: item.week_id } }
  if (item.layout_id) return { name: 'track', params: { id: item.layout_id } }
  if (item.car_id) return { name: 'car', params: { id: item.car_id } }
  if (!item.combination_id)
    return item.driver_id ? { name: 'driver-profile', params: { id: item.driver_id } } : { name: 'team' }
  const query = Object.fromEntries(
    Object.entries({
      driver: item.driver_id,
      corner: item.corner,
      session: item.session,
      run: item.run?.toString(),
      week: item.kind === 'run' ? 'all' : null,
    }).filter(([, value]) => value),
  ) as Record<string, string>
  return { name: 'combination', params: { id: item.combination_id }, query }
}
async function go(item: Found | undefined) {
  if (!item) return
  open.value = false
  await router.push(target(item))
}
function move(step: number) {
  if (items.value.length) at.value = (at.value + step + items.value.length) % items.value.length
  void nextTick(() => document.getElementById(`found-${at.value}`)?.scrollIntoView({ block: 'nearest' }))
}
</script>

<template>
  <v-dialog
    v-model="open"
    max-width="620"
    aria-label="Go to a driver, week, combination, track, car, corner or run"
    class="search-dialog"
  >
    <div class="sheet find">
      <input
        ref="input"
        v-model="text"
        type="text"
        maxlength="120"
        autocomplete="off"
        spellcheck="false"
        placeholder="Driver, series, track, car, corner, run …"
        aria-label="Go to"
        role="combobox"
        aria-controls="found-list"
        :aria-expanded="items.length > 0"
        aria-autocomplete="list"
        :aria-activedescendant="items.length ? `found-${at}` : undefined"
        @keydown.down.prevent="move(1)"
        @keydown.up.prevent="move(-1)"
        @keydown.enter.prevent="go(items[at])"
      />
      <TroubleNote :error="found.error.value" />
      <div id="found-list" role="listbox" aria-label="What was found" class="list">
        <template v-for="(item, index) in items" :key="index">
          <div v-if="index === 0 || items[index - 1]?.kind !== item.kind" class="kind quiet" role="presentation">
            {{ kindWords[item.kind] }}
          </div>
          <div
            :id="`found-${index}`"
            role="option"
            :aria-selected="index === at"
            class="item"
            :class="{ at: index === at }"
            @mousemove="at = index"
            @click="go(item)"
          >
            <b>{{ item.title }}</b> <span class="quiet">{{ item.more }}</span>
          </div>
        </template>
      </div>
      <p v-if="asked" class="hint">
        <RouterLink :to="{ name: 'written', query: { q: asked } }" @click="open = false"
          >“{{ asked }}” in all that was written</RouterLink
        >
      </p>
      <p class="quiet hint" role="status">
        <template v-if="asked && found.data.value && !items.length"
          >Nothing here holds “{{ asked }}”. Fewer words, or a part of one, find more.</template
        >
        <template v-else-if="!asked"
          >Several words narrow it down: “ysolde run 2”. <kbd>↑</kbd> <kbd>↓</kbd> choose, <kbd>Enter</kbd> goes there,
          <kbd>Esc</kbd> closes.</template
        >
        <template v-else
          ><span class="visually-hidden">{{ items.length }} found</span></template
        >
      </p>
    </div>
  </v-dialog>
</template>

<style scoped>
.find {
  padding: 12px;
}
input {
  width: 100%;
  padding: 8px 10px;
  font-size: 1.1rem;
  border: 1px solid var(--quiet);
  border-radius: 3px;
  background: var(--paper);
  color: var(--ink);
}
input:focus-visible {
  outline-offset: -1px;
}
.list {
  max-height: 52vh;
  overflow: auto;
}
.kind {
  font-size: 0.8rem;
  font-weight: 600;
  padding: 8px 10px 2px;
}
.item {
  display: flex;
  flex-wrap: wrap;
  gap: 0 12px;
  padding: 3px 10px;
  cursor: pointer;
  border-left: 4px solid transparent;
}
.item.at {
  background: color-mix(in srgb, var(--accent) 13%, transparent);
  border-left-color: var(--accent);
}
.hint {
  padding: 8px 10px 0;
  font-size: 0.9rem;
}
kbd {
  font-family: var(--sans);
  border: 1px solid var(--rule);
  border-radius: 2px;
  padding: 0 4px;
}
</style>
