<script setup lang="ts">
import { computed, ref } from 'vue'
import { RouterLink, useRoute, type RouteLocationRaw } from 'vue-router'
import type { Book, BookCheck } from '@/shared/api/client'
import { count } from '@/shared/format'

/** What is to be seen to before the race: a line a corner, the most important first; each thing leads to its place. */
const props = defineProps<{ book: Book; corner?: string }>()
const route = useRoute()
const SHOWN = 9
const groups = computed(() => {
  const out = new Map<string, BookCheck[]>()
  for (const item of props.book.checks) {
    if (!props.corner || item.corner_id === props.corner) out.set(item.corner, [...(out.get(item.corner) ?? []), item])
  }
  return [...out]
})
const whole = ref(false)
const shown = computed(() => (whole.value || props.corner ? groups.value : groups.value.slice(0, SHOWN)))
const SIGNS = { high: '●', medium: '◐', low: '○' } as const
function place(item: BookCheck): RouteLocationRaw {
  const corner = props.book.corners.find((one) => one.id === item.corner_id)
  const query = {
    car: route.query.car,
    see:
      item.kind === 'limits-unknown' || item.kind === 'limits-old'
        ? 'corner'
        : item.reference_ids.join(',') || undefined,
  }
  return corner
    ? { name: 'corner', params: { id: props.book.id, code: corner.code }, query }
    : { name: 'track', params: { id: props.book.id }, query: { ...query, see: 'pit' } }
}
</script>

<template>
  <ol class="checks">
    <li v-for="[title, items] in shown" :key="title">
      <span class="level" :title="`importance: ${items[0]!.level}`" aria-hidden="true">{{
        SIGNS[items[0]!.level]
      }}</span>
      <span class="things">
        <b v-if="!corner">{{ title }}</b>
        <RouterLink v-for="(item, index) in items" :key="index" :to="place(item)"
          ><span class="visually-hidden">{{ title }}, importance {{ item.level }}: </span>{{ item.words }}</RouterLink
        >
      </span>
    </li>
  </ol>
  <p v-if="groups.length > shown.length">
    <button type="button" class="link" @click="whole = true">Show all {{ count(groups.length, 'corner') }}</button>
    <span class="quiet">the rest matters less</span>
  </p>
  <p v-if="!groups.length && !corner" class="quiet">
    Nothing: each corner has a confirmed reference that lasts, limits are read, nothing contradicts.
  </p>
</template>

<style scoped>
.checks {
  list-style: none;
  padding: 0;
}
.checks li {
  display: flex;
  padding: 3px 0;
  border-bottom: 1px solid var(--rule);
  line-height: 1.3;
}
.things {
  display: flex;
  flex-wrap: wrap;
  gap: 1px 10px;
}
.level {
  color: var(--accent);
  flex: 0 0 20px;
}
</style>
