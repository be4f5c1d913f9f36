<script setup lang="ts">
import { RouterLink } from 'vue-router'
import CombinationSwitch from '@/shared/parts/CombinationSwitch.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import { useCombination } from '@/shared/queries'

/** Head of the pages on which laps are collected: for which combination, and by which way. */
const props = defineProps<{ id: string; title: string; still?: boolean }>()
const combination = useCombination(() => props.id)
const ways = [
  { name: 'runs', title: 'Runs' },
  { name: 'declare', title: 'Declare' },
  { name: 'type-laps', title: 'Type' },
  { name: 'time-laps', title: 'Time by hand' },
  { name: 'add-laps', title: 'Files' },
  { name: 'telemetry', title: 'Telemetry' },
]
</script>

<template>
  <div class="top">
    <h1>{{ title }}</h1>
    <p v-if="combination.data.value" class="where">
      <RouterLink :to="{ name: 'combination', params: { id } }"
        >{{ combination.data.value.track }}, {{ combination.data.value.layout }} ·
        {{ combination.data.value.car }}</RouterLink
      >
    </p>
    <CombinationSwitch v-if="!still" :id="id" class="end" />
  </div>
  <nav class="tabs" aria-label="Ways to collect laps">
    <RouterLink
      v-for="way in ways"
      :key="way.name"
      :to="{ name: way.name, params: { id } }"
      :class="{ here: $route.name === way.name }"
      :aria-current="$route.name === way.name ? 'page' : undefined"
      >{{ way.title }}</RouterLink
    >
    <RouterLink :to="{ name: 'live' }" class="live">Live: who drives</RouterLink>
  </nav>
  <TroubleNote :error="combination.error.value" :again="() => combination.refetch()" />
</template>

<style scoped>
.top {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 2px 14px;
}
.tabs {
  margin: 2px 0 12px;
}
</style>
