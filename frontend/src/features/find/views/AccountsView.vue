<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { RouterLink, useRoute } from 'vue-router'
import { runPlace } from '@/features/drive/runs'
import { averageRow, lapRow, runOf, useAccounts, type BookedLap } from '@/features/find/accounts'
import { addressOf } from '@/features/find/look'
import DriverChoice from '@/features/find/parts/DriverChoice.vue'
import AccountBars from '@/shared/charts/AccountBars.vue'
import PictureFrame from '@/shared/charts/PictureFrame.vue'
import { count, gap, lapTime } from '@/shared/format'
import SkeletonRows from '@/shared/parts/SkeletonRows.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import { useCombination } from '@/shared/queries'

/** Where every thousandth went: what each lap of a driver is owed to, and everybody’s average lap. */
const props = defineProps<{ id: string; driver: string }>()
const route = useRoute()
const {
  query: accounts,
  shown,
  names,
  week,
  also,
} = useAccounts(
  () => props.id,
  () => props.driver,
)
const combination = useCombination(() => props.id)
/** Accounts that hold anything, as columns. */
const columns = computed(() =>
  (shown.value?.accounts ?? []).filter((item) => shown.value?.laps.some((lap) => lap.accounts[item.account])),
)
const runs = computed(() => {
  const found = new Map<string, BookedLap[]>()
  for (const lap of shown.value?.laps ?? []) found.set(runOf(lap), [...(found.get(runOf(lap)) ?? []), lap])
  return [...found.entries()].map(([key, laps]) => ({ key, laps, first: laps[0]! }))
})
/** The run that a link asks for, else the last one. */
const chosen = ref(String(route.query.run ?? ''))
watch(
  runs,
  (some) => {
    // Before the laps are there, what the address asks for stands.
    if (some.length && !some.some((run) => run.key === chosen.value)) chosen.value = some.at(-1)!.key
  },
  { immediate: true },
)
const run = computed(() => runs.value.find((item) => item.key === chosen.value))
const team = computed(() => (shown.value?.team ?? []).map(averageRow))
const laps = computed(() => (run.value?.laps ?? []).map(lapRow))
const csv = computed(
  () => `/api/combinations/${props.id}/drivers/${props.driver}/accounts.csv${addressOf(week.value, also.value)}`,
)
const cell = (value: number | null | undefined) => (value === 0 ? '0' : value ? gap(value, 3) : '–')
</script>

<template>
  <div class="top">
    <div>
      <h1>{{ shown ? `${shown.name}: where every thousandth went` : 'Where every thousandth went' }}</h1>
      <p v-if="combination.data.value" class="quiet">
        <RouterLink :to="{ name: 'combination', params: { id }, query: { ...route.query, driver } }"
          >{{ combination.data.value.track }}, {{ combination.data.value.layout }},
          {{ combination.data.value.car }}</RouterLink
        >
      </p>
    </div>
    <div class="acts">
      <DriverChoice :driver="driver" :drivers="shown?.team" />
      <RouterLink :to="{ name: 'driver-pace', params: { id, driver }, query: route.query }"
        >Pace and consistency</RouterLink
      >
      <RouterLink :to="{ name: 'driver-clinic', params: { id, driver }, query: route.query }">Mistakes</RouterLink>
      <a v-if="shown?.laps.length" :href="csv" download>CSV</a>
    </div>
  </div>
  <TroubleNote :error="accounts.error.value ?? combination.error.value" :again="() => accounts.refetch()" />
  <SkeletonRows v-if="accounts.isPending.value" :rows="12" label="Booking the laps" />
  <p v-if="shown?.reason" class="sheet part">No lap can be booked yet: {{ shown.reason }}.</p>
  <template v-else-if="shown">
    <section class="sheet part" aria-labelledby="average">
      <h2 id="average">{{ team.length > 1 ? 'Average laps, side by side' : 'The average lap' }}</h2>
      <p>{{ shown.words }}</p>
      <PictureFrame :name="`average laps, ${shown.name}`"
        ><AccountBars :rows="team" :names="names" :here="driver" :label="shown.words ?? 'Average laps'"
      /></PictureFrame>
      <p class="quiet">
        Each bar is what an average flying lap is slower than that driver’s own good lap, and what it is owed to.
      </p>
    </section>

    <section v-if="run" class="sheet part" aria-labelledby="by-lap">
      <div class="head">
        <h2 id="by-lap">Lap by lap</h2>
        <label
          >Run
          <select v-model="chosen">
            <option v-for="item in runs" :key="item.key" :value="item.key">
              session {{ item.first.session }}, run {{ item.first.run ?? '–'
              }}{{ item.first.setup ? `, ${item.first.setup}` : '' }} ({{ count(item.laps.length, 'lap') }})
            </option>
          </select>
        </label>
        <RouterLink
          :to="runPlace(id, { session_id: run.first.session_id, driver_id: driver, number: run.first.run ?? 0 })"
          >Run sheet</RouterLink
        >
      </div>
      <PictureFrame :name="`laps of a run, ${shown.name}`"
        ><AccountBars
          :rows="laps"
          :names="names"
          :label="`What ${count(laps.length, 'lap')} of this run are slower than the own good lap, by account; the table below has the figures`"
      /></PictureFrame>
      <div class="wide" tabindex="0" role="region" aria-label="Accounts of the run’s laps">
        <table class="ledger">
          <caption class="visually-hidden">
            What each lap is owed to, in seconds
          </caption>
          <thead>
            <tr>
              <th scope="col" class="number">Lap</th>
              <th scope="col" class="number">Time</th>
              <th v-for="item in columns" :key="item.account" scope="col" class="number">{{ item.words }}</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="lap in run.laps" :key="lap.lap" :class="{ quiet: !lap.clean }">
              <th scope="row" class="number">{{ lap.lap }}</th>
              <td class="number">{{ lapTime(lap.time_us) }}</td>
              <td v-for="item in columns" :key="item.account" class="number">
                {{ item.account === 'reference' ? lapTime(lap.accounts.reference) : cell(lap.accounts[item.account]) }}
              </td>
            </tr>
          </tbody>
        </table>
      </div>
      <p class="quiet">
        Laps in grey don’t count as clean; bars longer than all clean laps’ are cut off (›). Every row adds up to its
        lap time, to the microsecond.
      </p>
    </section>

    <section class="sheet part" aria-labelledby="meaning">
      <h2 id="meaning">What each account holds</h2>
      <dl class="meaning">
        <div v-for="item in shown.accounts" :key="item.account">
          <dt>{{ item.words }}</dt>
          <dd>
            {{ item.meaning }}<template v-if="item.missing"> – can’t be told: {{ item.missing }}</template
            ><template v-if="item.caution"> – {{ item.caution }}</template>
          </dd>
        </div>
      </dl>
    </section>
  </template>
</template>

<style scoped src="@/features/find/pace.css"></style>
<style scoped>
.head {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 4px 18px;
  margin-bottom: 6px;
}
.wide {
  overflow-x: auto;
}
th:first-letter,
.meaning dt:first-letter {
  text-transform: uppercase;
}
.meaning > div {
  display: flex;
  gap: 10px;
  padding: 2px 0;
}
.meaning dt {
  flex: 0 0 120px;
  font-weight: 600;
}
</style>
