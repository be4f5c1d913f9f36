<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { RouterLink } from 'vue-router'
import { answer, api } from '@/shared/api/client'
import { moment } from '@/shared/format'
import SkeletonRows from '@/shared/parts/SkeletonRows.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import { IMPORTANCE } from '@/shared/words'

/** The races that are ahead, the next one first, each with its plan and its sheet. */
const asked = useQuery({ queryKey: ['races'], queryFn: () => answer(api.GET('/api/races')) })
const items = computed(() => asked.data.value?.items ?? [])
const importance = (key: string) => (IMPORTANCE as Record<string, { sign: string; words: string }>)[key]
</script>

<template>
  <h1>Races ahead</h1>
  <TroubleNote :error="asked.error.value" :again="() => asked.refetch()" />
  <SkeletonRows v-if="asked.isPending.value" :rows="8" label="Fetching the races" />
  <section v-else-if="!items.length" class="sheet empty">
    <h2>No race ahead</h2>
    <p>Whoever is entered in a week that runs, or begins within seven days, stands here.</p>
    <v-btn color="primary" to="/">To the week</v-btn>
  </section>
  <div v-else class="sheet part scroll-x" tabindex="0" role="group" aria-label="Races ahead">
    <table class="ledger">
      <thead>
        <tr>
          <th scope="col">Start</th>
          <th scope="col">Driver</th>
          <th scope="col">Race</th>
          <th scope="col">Entered</th>
          <th scope="col">Day</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="item in items" :key="item.entry_id">
          <td>{{ item.race_at ? moment(item.race_at) : 'no start chosen' }}</td>
          <th scope="row">
            <RouterLink :to="{ name: 'race', params: { id: item.entry_id } }"
              >{{ item.driver }}<span class="visually-hidden">, {{ item.place || item.series }}</span></RouterLink
            >
          </th>
          <td>
            {{ item.place || 'Track not known' }} <span class="quiet">{{ item.series }}</span>
          </td>
          <td>{{ importance(item.importance)?.sign }} {{ importance(item.importance)?.words }}</td>
          <td>
            <RouterLink :to="{ name: 'race-sheet', params: { id: item.entry_id } }"
              >Race sheet<span class="visually-hidden">
                of {{ item.driver }}, {{ item.place || item.series }}</span
              ></RouterLink
            >
          </td>
        </tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
td,
th {
  text-align: left;
}
</style>
