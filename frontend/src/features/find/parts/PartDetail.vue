<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { RouterLink } from 'vue-router'
import { answer, api, type TracedLap } from '@/shared/api/client'
import { POINTS, useBook } from '@/features/track/book'
import { lapTime, shortLength } from '@/shared/format'
import { quantity } from '@/shared/units'
import TroubleNote from '@/shared/parts/TroubleNote.vue'

/** What the owner of the best part does there: by what one goes, what was noted, and what traces show beside another driver's. */
const props = defineProps<{
  id: string
  layout: string
  car: string
  code: string
  name: string | null
  start: number
  end: number
  owner: string | null
  drivers: string[]
}>()
const book = useBook(
  () => props.layout,
  () => props.car,
)
const corner = computed(() => book.data.value?.corners.find((item) => item.code === props.code))
const references = computed(() =>
  (book.data.value?.references ?? [])
    .filter(
      (item) =>
        item.corner_id === corner.value?.id &&
        item.state === 'confirmed' &&
        (!item.driver || item.driver === props.owner),
    )
    .map(
      (item) =>
        `${POINTS[item.point].title}: ${[item.thing || item.kind, item.offset_words, item.at_m === null ? '' : `at ${shortLength(item.at_m)}`, item.gear ? `gear ${item.gear}` : '', item.driver ? `(${item.driver})` : ''].filter(Boolean).join(', ')}`,
    ),
)
const traced = useQuery({
  queryKey: ['traces', () => props.id],
  queryFn: () =>
    answer(api.GET('/api/combinations/{combination_id}/traces', { params: { path: { combination_id: props.id } } })),
})
const fastestOf = (driver: string): TracedLap | undefined =>
  (traced.data.value?.items ?? [])
    .filter((lap) => lap.driver === driver && lap.counts)
    .sort((a, b) => a.time_us - b.time_us)[0]
const others = computed(() => props.drivers.filter((driver) => driver !== props.owner && fastestOf(driver)))
const beside = ref('')
const chosen = computed(() => (others.value.includes(beside.value) ? beside.value : (others.value[0] ?? '')))
const laps = computed(() => [props.owner, chosen.value].flatMap((driver) => (driver && fastestOf(driver)) || []))
const passes = useQuery({
  queryKey: ['traces', () => props.id, 'passes', () => props.code, () => laps.value.map((lap) => lap.key)],
  enabled: computed(() => laps.value.length > 0),
  queryFn: () =>
    answer(
      api.GET('/api/combinations/{combination_id}/traces/passes', {
        params: {
          path: { combination_id: props.id },
          query: { lap: laps.value.map((lap) => lap.key), part: props.code },
        },
      }),
    ),
})
const speed = (kmh: number) => quantity('speed', kmh, 1)
/** Places are told from where the part begins: that is where its braking begins for the car that it was drawn up for. */
const place = (metres: number | null) => (metres === null ? 'not there' : shortLength(metres - props.start))
const rows = computed(() => {
  const shown = passes.data.value?.items ?? []
  return [
    { words: 'brake pressed after', values: shown.map((item) => place(item.brake_onset_m)) },
    { words: 'let go after', values: shown.map((item) => place(item.brake_release_m)) },
    {
      words: 'slowest',
      values: shown.map((item) =>
        item.slowest_kmh === null ? '–' : `${speed(item.slowest_kmh)} after ${place(item.slowest_m)}`,
      ),
    },
    { words: 'throttle from', values: shown.map((item) => place(item.pick_up_m)) },
    { words: 'full from', values: shown.map((item) => place(item.full_throttle_m)) },
    {
      words: 'gear at the slowest place',
      values: shown.map((item) => (item.apex_gear === null ? '–' : String(item.apex_gear))),
    },
  ]
})
</script>

<template>
  <div class="detail">
    <div>
      <h3>
        {{ code }} {{ name }}<template v-if="owner">: what {{ owner }} does there</template>
      </h3>
      <TroubleNote
        :error="book.error.value ?? traced.error.value ?? passes.error.value"
        :again="() => passes.refetch()"
      />
      <ul v-if="references.length">
        <li v-for="line in references" :key="line">{{ line }}</li>
      </ul>
      <p v-else-if="corner" class="quiet">
        No confirmed reference here yet.
        <RouterLink :to="{ name: 'corner', params: { id: layout, code }, query: { car } }"
          >Write down what {{ owner ?? 'one' }} goes by</RouterLink
        >.
      </p>
      <p v-if="corner?.note" class="note">“{{ corner.note }}”</p>
    </div>
    <div v-if="laps.length">
      <label v-if="others.length"
        >beside
        <select :value="chosen" @change="beside = ($event.target as HTMLSelectElement).value">
          <option v-for="driver in others" :key="driver">{{ driver }}</option>
        </select></label
      >
      <table v-if="passes.data.value" class="ledger">
        <caption class="visually-hidden">
          On the fastest laps with a trace, from the beginning of
          {{
            code
          }}
        </caption>
        <thead>
          <tr>
            <td></td>
            <th v-for="lap in laps" :key="lap.key" scope="col" class="number">
              {{ lap.driver }}, {{ lapTime(lap.time_us) }}
            </th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="row in rows" :key="row.words">
            <th scope="row">{{ row.words }}</th>
            <td v-for="(value, index) in row.values" :key="index" class="number">{{ value }}</td>
          </tr>
        </tbody>
      </table>
      <p>
        <RouterLink
          :to="{
            name: 'traces',
            params: { id },
            query: { lap: laps.map((lap) => lap.key), from: Math.max(0, start - 60).toFixed(0), to: end.toFixed(0) },
          }"
          >{{ laps.length > 1 ? 'Lay these laps over each other here' : 'Its trace here' }}</RouterLink
        >
      </p>
    </div>
    <p v-else-if="traced.data.value" class="quiet">
      No lap of theirs has a trace: with telemetry it would stand here where they brake and pick up.
    </p>
  </div>
</template>

<style scoped>
.detail {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(min(100%, 320px), 1fr));
  gap: 6px 26px;
  padding: 6px 4px 10px;
  white-space: normal;
  text-align: left;
}
h3 {
  font-size: 1rem;
}
ul {
  padding-left: 18px;
}
.note {
  white-space: pre-wrap;
}
.number {
  text-align: right;
}
tbody th {
  font-weight: 400;
}
</style>
