<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { RouterLink, useRoute } from 'vue-router'
import { answer, api, type Schemas } from '@/shared/api/client'
import { moment, perCent } from '@/shared/format'
import ReadinessPast from '@/features/plan/parts/ReadinessPast.vue'
import SkeletonRows from '@/shared/parts/SkeletonRows.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import { useMay } from '@/shared/session'

/** How ready each driver is for each race: checks with evidence, what is open first. */
type Item = Schemas['ReadinessItem']
const route = useRoute()
const may = useMay()
const mayMake = computed(() => may('plan.make'))
const day = computed(() => (typeof route.query.day === 'string' ? route.query.day : undefined))
const asked = useQuery({
  queryKey: ['plan', 'readiness', day],
  queryFn: () => answer(api.GET('/api/readiness', { params: { query: { day: day.value } } })),
})
const items = computed(() => asked.data.value?.items ?? [])
const STATES = { met: 'there', close: 'nearly', open: 'open' } as const
const KEYS = computed(() => (items.value[0]?.checks ?? []).map((check) => check.key).sort())
const titles = computed(() =>
  Object.fromEntries(items.value.flatMap((item) => item.checks.map((check) => [check.key, check.title]))),
)
const check = (item: Item, key: string) => item.checks.find((other) => other.key === key)!
</script>

<template>
  <div class="top">
    <h1>Readiness</h1>
    <p class="links">
      <RouterLink :to="{ name: 'plan', query: route.query }">Plan</RouterLink>
      <RouterLink :to="{ name: 'outlook' }">Outlook</RouterLink>
      <RouterLink v-if="mayMake" :to="{ name: 'plan-rules' }">Rules and weights</RouterLink>
    </p>
  </div>
  <TroubleNote :error="asked.error.value" :again="() => asked.refetch()" />
  <SkeletonRows v-if="asked.isPending.value" :rows="10" label="Looking at what is open" />
  <section v-else-if="!items.length" class="sheet empty">
    <h2>Nobody is entered in the weeks that run</h2>
    <v-btn color="primary" to="/">Enter drivers on the board</v-btn>
  </section>
  <section v-else class="sheet part" aria-label="Checks by entry">
    <div class="scroll-x" tabindex="0" role="group" aria-label="Checks by entry">
      <table class="ledger">
        <thead>
          <tr>
            <th scope="col">Driver and race</th>
            <th scope="col" class="number">Open</th>
            <th v-for="key in KEYS" :key="key" scope="col" class="turned">{{ titles[key] }}</th>
            <th scope="col" class="number">In all</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="item in items" :key="item.entry_id">
            <th scope="row">
              <RouterLink
                v-if="item.combination_id"
                :to="{ name: 'driver-clinic', params: { id: item.combination_id, driver: item.driver_id } }"
                >{{ item.driver }}</RouterLink><template v-else>{{ item.driver }}</template>
              <span class="quiet">{{ item.place || item.series }}, by {{ moment(item.race_at) }}</span>
            </th>
            <td class="number">{{ item.open }}</td>
            <td
              v-for="key in KEYS"
              :key="key"
              :class="check(item, key).state"
              :title="`${check(item, key).title}: ${check(item, key).words}`"
            >
              {{ STATES[check(item, key).state] }}<span class="visually-hidden">: {{ check(item, key).words }}</span>
            </td>
            <td class="number">{{ perCent(item.total) }}</td>
          </tr>
        </tbody>
      </table>
    </div>
    <p class="quiet">What is open, with what would close it:</p>
    <details v-for="item in items" :key="item.entry_id">
      <summary>{{ item.driver }}, {{ item.place || item.series }}: {{ item.open }} open</summary>
      <ul>
        <li v-for="one in item.checks.filter((other) => other.state !== 'met')" :key="one.key">
          <b>{{ one.title }}</b>: {{ one.words }}.<template v-if="one.closed_by">
            Closed by: {{ one.closed_by }}.</template
          >
        </li>
      </ul>
      <ReadinessPast :entry="item.entry_id" :whose="`${item.driver}, ${item.place || item.series}`" :titles="titles" />
    </details>
  </section>
</template>

<style scoped src="@/shared/theme/page.css"></style>
<style scoped>
.turned {
  font-size: 0.78rem;
  max-width: 84px;
  white-space: normal;
}
td {
  font-size: 0.85rem;
}
td.open {
  color: var(--loss);
  font-weight: 600;
}
td.close {
  color: var(--ochre);
}
td.met {
  color: var(--accent);
}
th .quiet {
  font-weight: 400;
  font-size: 0.85rem;
}
summary {
  cursor: pointer;
  padding: 2px 0;
}
</style>
