<script setup lang="ts">
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { answer, api, type DriverPace } from '@/shared/api/client'
import PlotField, { type PlotLine, type PlotPoint } from '@/shared/charts/PlotField.vue'
import PictureFrame from '@/shared/charts/PictureFrame.vue'
import { gap } from '@/shared/format'
import { useAlso } from '@/features/find/look'
import TroubleNote from '@/shared/parts/TroubleNote.vue'

/** Push or save: two runs, or two ways that were declared, side by side. */
const props = defineProps<{ id: string; driver: string; week?: string; pace: DriverPace }>()
const driven = computed(() => props.pace.runs.filter((run) => run.clean))
const ways = computed(() => [
  ...props.pace.options.flatMap((item) =>
    item.where === 'lap'
      ? item.sides.map((side) => ({ key: `option:lap:${side.label}`, words: `all laps: ${side.label}` }))
      : [],
  ),
  ...driven.value.map((run) => ({
    key: `run:${run.session}:${run.run ?? 0}`,
    words: `session ${run.session}, run ${run.run ?? '–'} (${run.clean} clean)`,
  })),
])
const longest = computed(() =>
  [...driven.value].sort((a, b) => b.clean - a.clean).map((run) => `run:${run.session}:${run.run ?? 0}`),
)
const first = ref('')
const second = ref('')
const laps = ref(String(props.pace.distance))
// Another driver, another week: as far as the race goes there, which is what the verdict beside it tells.
watch([() => props.driver, () => props.pace.distance], () => (laps.value = String(props.pace.distance)))
const stops = ref('0')
const stopSeconds = ref('25')
watch(
  () => [props.driver, ways.value.map((way) => way.key).join()],
  () => {
    const known = ways.value.map((way) => way.key)
    if (!known.includes(first.value))
      first.value = ways.value[0]?.key.startsWith('option') ? known[0]! : (longest.value[0] ?? '')
    if (!known.includes(second.value) || second.value === first.value)
      second.value = ways.value[1]?.key.startsWith('option')
        ? known[1]!
        : (longest.value.find((key) => key !== first.value) ?? '')
  },
  { immediate: true },
)
const whole = (text: string, least: number) =>
  /^\d{1,4}$/.test(text.trim()) && Number(text) >= least ? Number(text) : undefined
const also = useAlso()
const asked = computed(() => ({
  week: props.week,
  also: also.value,
  first: first.value,
  second: second.value,
  laps: whole(laps.value, 1),
  stops: whole(stops.value, 0),
  stop_s: whole(stopSeconds.value, 0),
}))
const told = useQuery({
  queryKey: ['driver-laps', () => props.id, () => props.driver, 'versus', asked],
  enabled: computed(
    () =>
      !!first.value &&
      !!second.value &&
      asked.value.laps !== undefined &&
      asked.value.stops !== undefined &&
      asked.value.stop_s !== undefined,
  ),
  placeholderData: keepPreviousData,
  queryFn: () =>
    answer(
      api.GET('/api/combinations/{combination_id}/drivers/{driver_id}/versus', {
        params: { path: { combination_id: props.id, driver_id: props.driver }, query: asked.value },
      }),
    ),
})
const table = computed(
  () =>
    `/api/combinations/${props.id}/drivers/${props.driver}/versus.csv?${Object.entries(asked.value)
      .flatMap(([name, value]) =>
        [value]
          .flat()
          .filter((item) => item !== undefined)
          .map((item) => `${name}=${encodeURIComponent(String(item))}`),
      )
      .join('&')}`,
)
const steps = computed(() => told.data.value?.steps ?? [])
const points = computed<PlotPoint[]>(() =>
  steps.value.map((step) => ({
    key: String(step.lap),
    x: step.lap,
    y: step.behind_us,
    words: `lap ${step.lap} of the run: ${told.data.value?.names[1]} ${gap(step.behind_us)} behind`,
  })),
)
const lines = computed<PlotLine[]>(() => [
  { key: 'sum', kind: 'curve', at: steps.value.map((step) => [step.lap, step.behind_us]) },
])
</script>

<template>
  <div v-if="ways.length > 1">
    <div class="asked">
      <label
        >One
        <select v-model="first">
          <option v-for="way in ways" :key="way.key" :value="way.key">{{ way.words }}</option>
        </select></label
      >
      <label
        >other
        <select v-model="second">
          <option v-for="way in ways" :key="way.key" :value="way.key">{{ way.words }}</option>
        </select></label
      >
      <label>over <input v-model="laps" v-reads inputmode="numeric" size="4" /> laps</label>
      <label>with <input v-model="stops" v-reads inputmode="numeric" size="3" /> stops</label>
      <label>of <input v-model="stopSeconds" v-reads inputmode="numeric" size="4" /> s</label>
    </div>
    <TroubleNote :error="told.error.value" :again="() => told.refetch()" />
    <template v-if="told.data.value">
      <ul class="told" aria-live="polite">
        <li v-for="line in told.data.value.words" :key="line">{{ line }}</li>
      </ul>
      <PictureFrame v-if="steps.length > 1" name="two ways lap by lap"
        ><PlotField
          :points="points"
          :lines="lines"
          zero
          :high="170"
          across="lap of the run"
          :format="(value) => gap(value, 1)"
          :label="`How far ${told.data.value.names[1]} is behind ${told.data.value.names[0]}, lap by lap: ${points.map((point) => point.words).join('; ')}`"
      /></PictureFrame>
      <p v-if="steps.length" class="quiet">Lap by lap as <a :href="table">CSV</a></p>
    </template>
  </div>
  <p v-else class="quiet">A second run, or laps declared as push and save, would stand beside this one here.</p>
</template>

<style scoped>
.asked {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 14px;
  margin-bottom: 6px;
}
select {
  max-width: 250px;
}
input {
  border: 1px solid var(--quiet);
  border-radius: 3px;
  padding: 1px 5px;
  background: var(--sheet);
  color: inherit;
  font: inherit;
}
.told {
  padding-left: 18px;
}
</style>
