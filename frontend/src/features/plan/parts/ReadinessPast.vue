<script setup lang="ts">
import { useMutation } from '@tanstack/vue-query'
import { ref } from 'vue'
import { answer, api, type Job } from '@/shared/api/client'
import type { CheckState } from '@/shared/api/words'
import { follow } from '@/shared/api/jobs'
import { date, perCent } from '@/shared/format'
import JobProgress from '@/shared/parts/JobProgress.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import WorkButton from '@/shared/parts/WorkButton.vue'

/** How a readiness came about over the week, and how it stood at the race in earlier weeks, beside what happened there. */
const props = defineProps<{ entry: string; whose: string; titles: Record<string, string> }>()
const looking = ref<Job>()
const look = useMutation({
  mutationFn: async () => {
    const begun = await answer(api.POST('/api/readiness/history', { body: { entry_id: props.entry } }))
    return follow(begun, (now) => (looking.value = now))
  },
})
const openOnes = (item: { states: Record<string, CheckState> }) =>
  Object.entries(item.states)
    .filter(([, state]) => state === 'open')
    .map(([key]) => props.titles[key] ?? key)
    .join(', ')
</script>

<template>
  <div class="past">
    <WorkButton
      v-if="!look.data.value"
      size="small"
      variant="outlined"
      :loading="look.isPending.value"
      @click="look.mutate()"
      >How it came about<span class="visually-hidden">: {{ whose }}</span></WorkButton
    >
    <JobProgress v-if="looking" :job="looking" />
    <TroubleNote :error="look.error.value" />
    <div v-if="look.data.value" role="status" class="tables">
      <table>
        <caption>
          Over the week
        </caption>
        <thead>
          <tr>
            <th scope="col">Evening of</th>
            <th scope="col">Laps</th>
            <th scope="col">Open</th>
            <th scope="col">Total</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="item in look.data.value.days" :key="item.at">
            <th scope="row">{{ date(item.at) }}</th>
            <td>{{ item.laps }}</td>
            <td>{{ item.open }}</td>
            <td>
              <span class="bar" aria-hidden="true"><span :style="{ width: `${100 * item.total}%` }" /></span
              >{{ perCent(item.total) }}
            </td>
          </tr>
          <tr v-if="!look.data.value.days.length">
            <td colspan="4" class="quiet">No lap for this race yet.</td>
          </tr>
        </tbody>
      </table>
      <table>
        <caption>
          At the race in earlier weeks
        </caption>
        <thead>
          <tr>
            <th scope="col">Race</th>
            <th scope="col">Total then</th>
            <th scope="col">Points</th>
            <th scope="col">Open then</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="item in look.data.value.earlier" :key="item.series + item.number">
            <th scope="row">
              {{ item.place }} <span class="quiet">{{ item.series }}, week {{ item.number }}</span>
            </th>
            <td>{{ perCent(item.total) }}</td>
            <td>{{ item.points ?? '–' }}</td>
            <td class="quiet">{{ openOnes(item) || 'nothing' }}</td>
          </tr>
          <tr v-if="!look.data.value.earlier.length">
            <td colspan="4" class="quiet">No earlier week with a start.</td>
          </tr>
        </tbody>
      </table>
    </div>
  </div>
</template>

<style scoped>
.past {
  margin: 4px 0 10px;
}
.tables {
  display: flex;
  flex-wrap: wrap;
  gap: 10px 32px;
}
table {
  border-collapse: collapse;
}
caption {
  text-align: left;
  font-weight: 600;
}
th,
td {
  text-align: left;
  padding: 2px 12px 2px 0;
  vertical-align: top;
  font-size: 0.88rem;
}
.bar {
  display: inline-block;
  width: 90px;
  height: 6px;
  margin-right: 8px;
  background: var(--rule);
  vertical-align: middle;
}
.bar span {
  display: block;
  height: 100%;
  background: var(--accent);
}
</style>
