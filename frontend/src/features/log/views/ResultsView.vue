<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { RouterLink } from 'vue-router'
import { answer, api } from '@/shared/api/client'
import { date } from '@/shared/format'
import LogLinks from '@/features/log/parts/LogLinks.vue'
import SkeletonRows from '@/shared/parts/SkeletonRows.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'

/** Races that are over, the last one first: what they brought, and how good what was expected of them was. */
const asked = useQuery({ queryKey: ['results'], queryFn: () => answer(api.GET('/api/results')) })
const items = computed(() => asked.data.value?.items ?? [])
const open = computed(() => items.value.filter((item) => !item.results.length).length)
const finish = (item: (typeof items.value)[number]) =>
  item.results.map((one) => (one.finish !== null ? `${one.grid ?? '?'} → ${one.finish}` : '–')).join(', ')
</script>

<template>
  <div class="top">
    <h1>Races behind</h1>
    <LogLinks />
  </div>
  <TroubleNote :error="asked.error.value" :again="() => asked.refetch()" />
  <SkeletonRows v-if="asked.isPending.value" :rows="10" label="Fetching the races" />
  <section v-else-if="!items.length" class="sheet empty">
    <h2>No race behind</h2>
    <p>
      Once the first start that somebody chose is over, it stands here: what it brought is written down, and held
      against the sheet.
    </p>
    <v-btn color="primary" to="/races">To the races ahead</v-btn>
  </section>
  <template v-else>
    <section v-if="asked.data.value?.calibration.length" class="sheet part" aria-labelledby="good-title">
      <h2 id="good-title">How good our expectations were</h2>
      <ul>
        <li v-for="item in asked.data.value.calibration" :key="item.figure">{{ item.words }}</li>
      </ul>
    </section>
    <p v-if="open" class="quiet">{{ open }} of them have no result yet.</p>
    <div class="sheet part scroll-x" tabindex="0" role="group" aria-label="Races behind">
      <table class="ledger">
        <thead>
          <tr>
            <th scope="col">Start</th>
            <th scope="col">Driver</th>
            <th scope="col">Race</th>
            <th scope="col">From → to</th>
            <th scope="col" class="number">Points</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="item in items" :key="item.entry_id">
            <td>{{ date(item.last) }}</td>
            <th scope="row">
              <RouterLink :to="{ name: 'debrief', params: { id: item.entry_id } }"
                >{{ item.driver
                }}<span class="visually-hidden"
                  >, {{ item.place || item.series }}, week {{ item.number }}</span
                ></RouterLink
              >
            </th>
            <td>
              {{ item.place || 'Track not known' }} <span class="quiet">{{ item.series }}, week {{ item.number }}</span>
            </td>
            <td>{{ item.results.length ? finish(item) : 'no result yet' }}</td>
            <td class="number">{{ item.points ?? '' }}</td>
          </tr>
        </tbody>
      </table>
    </div>
  </template>
</template>

<style scoped src="@/shared/theme/page.css"></style>
<style scoped>
td,
th {
  text-align: left;
}
.number {
  text-align: right;
  font-variant-numeric: tabular-nums;
}
</style>
