<script setup lang="ts">
import { useMutation } from '@tanstack/vue-query'
import { reactive } from 'vue'
import { answer, api, type Schemas } from '@/shared/api/client'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import WorkButton from '@/shared/parts/WorkButton.vue'
import { figure, fromUnit, inUnit, units, type Quantity } from '@/shared/units'

/** Cold pressures for wanted hot ones: cold and hot have names of their own and fields of their own, so that nobody takes one for the other. */
const props = defineProps<{ readings?: Schemas['HotReading'][] }>()
const WHEELS = {
  front_left: 'front left',
  front_right: 'front right',
  rear_left: 'rear left',
  rear_right: 'rear right',
} as const
type Wheel = keyof typeof WHEELS
const wheels = Object.keys(WHEELS) as Wheel[]
const form = reactive({
  cold: {} as Record<Wheel, number | ''>,
  hot: {} as Record<Wheel, number | ''>,
  wanted: {} as Record<Wheel, number | ''>,
  cold_c: '' as number | '',
  track_c: '' as number | '',
  now_cold_c: '' as number | '',
  now_track_c: '' as number | '',
  step: Number(figure('pressure', 1, 0)) || 1,
})
const numbers = (from: Record<Wheel, number | ''>) =>
  Object.fromEntries(
    Object.entries(from)
      .filter((item): item is [string, number] => typeof item[1] === 'number')
      .map(([wheel, value]) => [wheel, fromUnit('pressure', value)]),
  )
/** What was read after a run stands in the fields for hot pressures, and nowhere else. */
function take(event: Event) {
  const reading = props.readings?.[Number((event.target as HTMLSelectElement).value)]
  if (!reading) return
  for (const wheel of wheels) form.hot[wheel] = shown('pressure', reading.hot_kpa[wheel])
  form.track_c = shown('temperature', reading.track_temp_c)
}
const shown = (kind: Quantity, value: number | null | undefined) =>
  value === null || value === undefined ? '' : Number(inUnit(kind, value).toFixed(3))
const told = (kpa: number | undefined) => (kpa === undefined ? '' : figure('pressure', kpa, 1))
const celsius = (value: number | '') => (typeof value === 'number' ? fromUnit('temperature', value) : null)
const ask = useMutation({
  mutationFn: () =>
    answer(
      api.POST('/api/races/pressures', {
        body: {
          cold_kpa: numbers(form.cold),
          hot_kpa: numbers(form.hot),
          wanted_kpa: numbers(form.wanted),
          cold_c: celsius(form.cold_c),
          track_c: celsius(form.track_c),
          now_cold_c: celsius(form.now_cold_c),
          now_track_c: celsius(form.now_track_c),
          step_kpa: fromUnit('pressure', form.step),
        },
      }),
    ),
})
</script>

<template>
  <details class="sheet part">
    <summary>Tyre pressures: which cold setting gives the wanted hot one</summary>
    <form @submit.prevent="ask.mutate()">
      <label v-if="readings?.length" class="taken"
        >Hot pressures as they were read
        <select @change="take">
          <option value="">type them</option>
          <option v-for="(item, index) in readings" :key="index" :value="index">
            {{ item.where }}, {{ item.when }}<template v-if="item.how"> ({{ item.how }})</template>
          </option>
        </select></label
      >
      <table>
        <thead>
          <tr>
            <th scope="col">Wheel</th>
            <th scope="col">Set cold, {{ units.pressure }}</th>
            <th scope="col">Measured hot, {{ units.pressure }}</th>
            <th scope="col">Wanted hot, {{ units.pressure }}</th>
            <th scope="col">Set cold now, {{ units.pressure }}</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="wheel in wheels" :key="wheel">
            <th scope="row">{{ WHEELS[wheel] }}</th>
            <td>
              <input
                v-model.number="form.cold[wheel]"
                class="field"
                type="number"
                step="any"
                :aria-label="`${WHEELS[wheel]}: set cold`"
              />
            </td>
            <td>
              <input
                v-model.number="form.hot[wheel]"
                class="field"
                type="number"
                step="any"
                :aria-label="`${WHEELS[wheel]}: measured hot`"
              />
            </td>
            <td>
              <input
                v-model.number="form.wanted[wheel]"
                class="field"
                type="number"
                step="any"
                :aria-label="`${WHEELS[wheel]}: wanted hot`"
              />
            </td>
            <td>
              <b>{{ told(ask.data.value?.cold_kpa[wheel]) }}</b>
            </td>
          </tr>
        </tbody>
      </table>
      <div class="fields">
        <label
          >Set at, {{ units.temperature }} <input v-model.number="form.cold_c" class="field" type="number" step="any"
        /></label>
        <label
          >Track then, {{ units.temperature }}
          <input v-model.number="form.track_c" class="field" type="number" step="any"
        /></label>
        <label
          >Set now at, {{ units.temperature }}
          <input v-model.number="form.now_cold_c" class="field" type="number" step="any"
        /></label>
        <label
          >Track in the race, {{ units.temperature }}
          <input v-model.number="form.now_track_c" class="field" type="number" step="any"
        /></label>
        <label
          >The car’s step, {{ units.pressure }}
          <input v-model.number="form.step" class="field" type="number" min="0.001" step="any" required
        /></label>
      </div>
      <p>
        <WorkButton type="submit" size="small" variant="outlined" :loading="ask.isPending.value"
          >Work it out</WorkButton
        >
        <span class="quiet" role="status">{{
          ask.data.value ? 'Worked out by the gas law, on absolute pressure.' : ''
        }}</span>
      </p>
      <TroubleNote :error="ask.error.value" />
    </form>
  </details>
</template>

<style scoped>
.part {
  padding: 10px 16px;
  margin-bottom: 12px;
}
th,
td {
  text-align: left;
  padding: 2px 10px 2px 0;
}
input {
  width: 92px;
}
</style>
