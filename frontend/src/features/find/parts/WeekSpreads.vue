<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { answer, api } from '@/shared/api/client'
import { count } from '@/shared/format'

/** How alike a driver's laps were, week by week, across tracks. */
const props = defineProps<{ id: string; driver: string; week?: string }>()
const spreads = useQuery({
  queryKey: ['driver-laps', 'steadiness', () => props.driver],
  queryFn: () =>
    answer(api.GET('/api/drivers/{driver_id}/steadiness', { params: { path: { driver_id: props.driver } } })),
})
</script>

<template>
  <template v-if="(spreads.data.value?.items.length ?? 0) > 1">
    <h3>Week by week, across tracks</h3>
    <div class="scroll-x" tabindex="0" role="group" aria-label="Week by week">
      <table class="ledger">
        <caption class="visually-hidden">
          Scatter by week, in seconds per root of the minute
        </caption>
        <thead>
          <tr>
            <th scope="col">Week</th>
            <th scope="col">Where</th>
            <th scope="col" class="number">Clean laps</th>
            <th scope="col" class="number">Scatter, s/√min</th>
            <th scope="col" class="number">Over the team’s middle</th>
          </tr>
        </thead>
        <tbody>
          <tr
            v-for="item in spreads.data.value?.items"
            :key="item.combination_id + item.week_id"
            :class="{ here: item.combination_id === id && (!week || item.week_id === week) }"
          >
            <th scope="row">{{ item.series ? `${item.series}, week ${item.number}` : 'no series' }}</th>
            <td>
              <RouterLink
                :to="{
                  name: 'driver-pace',
                  params: { id: item.combination_id, driver },
                  query: item.week_id ? { week: item.week_id } : {},
                }"
                >{{ item.place }}, {{ item.car }}</RouterLink
              >
            </td>
            <td class="number">
              {{ item.clean }}
              <span class="quiet">{{ item.sure }}{{ item.out_of_date ? ', being worked out anew' : '' }}</span>
            </td>
            <td class="number">{{ item.spread_s_per_sqrt_min?.toFixed(3) ?? '–' }}</td>
            <td class="number">{{ item.team_ratio === null ? '–' : `${item.team_ratio.toFixed(2)} ×` }}</td>
          </tr>
        </tbody>
      </table>
    </div>
    <p class="quiet">
      <template v-if="spreads.data.value?.behind"
        >{{ count(spreads.data.value.behind, 'week') }} with very many laps
        {{ spreads.data.value.behind === 1 ? 'is' : 'are' }} being worked out. </template
      >Scatter grows with the root of the time: so short and long laps can be compared.
    </p>
  </template>
</template>

<style scoped src="@/features/find/pace.css"></style>
