<script setup lang="ts">
import { useMutation } from '@tanstack/vue-query'
import { computed, reactive, ref, watch } from 'vue'
import { answer, api, version, type RunSheet } from '@/shared/api/client'
import { asTyped, readIn, readNumber, typedIn } from '@/shared/format'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import WorkButton from '@/shared/parts/WorkButton.vue'
import { units } from '@/shared/units'
import { nameOf, runPath, useRunsSettled, type RunKey } from '@/features/drive/runs'

/** How the car felt in a run, and what was read off it: written after the run, from either side. */
const props = defineProps<{ sheet: RunSheet; runKey: RunKey }>()
const settled = useRunsSettled()
const SPEEDS = ['slow', 'fast'] as const
const PHASES = ['entry', 'middle', 'exit'] as const
const WHEELS = ['front_left', 'front_right', 'rear_left', 'rear_right'] as const
type Wheel = (typeof WHEELS)[number]
const WORDS: Record<string, string> = {
  '-3': 'pushes hard',
  '-2': 'pushes',
  '-1': 'pushes a little',
  '0': 'balanced',
  '1': 'a little loose',
  '2': 'loose',
  '3': 'very loose',
}
type Speed = (typeof SPEEDS)[number]
type Phase = (typeof PHASES)[number]
interface Typed {
  when: string
  how: string
  tread: Record<Wheel, string>
  pressure: Record<Wheel, string>
  track: string
  air: string
  fuel: string
  /** As it was written down before. */
  kept: Record<string, unknown>
}
const shown = (kpa: number | null | undefined) => typedIn('pressure', kpa)
const form = reactive({
  slow: {} as Record<Phase, string>,
  fast: {} as Record<Phase, string>,
  small_lift: '',
  small_throttle: '',
  note: '',
})
const readings = ref<Typed[]>([])
const wheels = (values: Record<string, unknown> | undefined, show: (value: number | null | undefined) => string) =>
  Object.fromEntries(WHEELS.map((wheel) => [wheel, show(values?.[wheel] as number | null | undefined)])) as Record<
    Wheel,
    string
  >
function show() {
  const handling = props.sheet.run.handling as Record<string, unknown>
  for (const speed of SPEEDS)
    for (const phase of PHASES)
      form[speed][phase] = asTyped((handling[speed] as Record<string, unknown> | undefined)?.[phase])
  form.small_lift = asTyped(handling.small_lift)
  form.small_throttle = asTyped(handling.small_throttle)
  form.note = props.sheet.run.note ?? ''
  readings.value = props.sheet.run.readings.map((item) => ({
    when: asTyped(item.when),
    how: asTyped(item.how),
    tread: wheels(item.tread_pct as Record<string, unknown>, asTyped),
    pressure: wheels(item.hot_pressure_kpa as Record<string, unknown>, shown),
    track: typedIn('temperature', item.track_temp_c as number | null),
    air: typedIn('temperature', item.air_temp_c as number | null),
    fuel: typedIn('volume', item.fuel_left_l as number | null),
    kept: item,
  }))
}
const open = ref(false)
watch(
  () => [props.sheet.run.version, props.runKey, { ...units }],
  () => !open.value && show(),
  { immediate: true },
)
const last = computed(() => props.sheet.laps[props.sheet.laps.length - 1]?.number ?? 0)
const add = () =>
  readings.value.push({
    when: `after lap ${last.value}`,
    how: '',
    tread: wheels({}, asTyped),
    pressure: wheels({}, asTyped),
    track: '',
    air: '',
    fuel: '',
    kept: {},
  })
const typed = computed(() =>
  readings.value.flatMap((item) => [
    ...Object.values(item.tread),
    ...Object.values(item.pressure),
    item.track,
    item.air,
    item.fuel,
  ]),
)
const wrong = computed(() => typed.value.find((value) => Number.isNaN(readNumber(value) ?? 0)))
const before = (item: Typed, name: string, wheel?: Wheel) => {
  const value = item.kept[name]
  return (wheel ? (value as Record<string, unknown> | undefined)?.[wheel] : value) as number | null | undefined
}
const numbers = (read: (wheel: Wheel) => number | null) =>
  Object.fromEntries(WHEELS.map((wheel) => [wheel, read(wheel)]).filter(([, value]) => value !== null))
const save = useMutation({
  mutationFn: () => {
    const balance = (speed: Speed) => ({
      entry: readNumber(form[speed].entry),
      middle: readNumber(form[speed].middle),
      exit: readNumber(form[speed].exit),
    })
    const test = (value: string) => (value || null) as 'calm' | 'abrupt' | null
    return answer(
      api.PUT('/api/sessions/{session_id}/drivers/{driver_id}/runs/{number}/feel', {
        params: { path: runPath(props.runKey), header: version(props.sheet.run.version) },
        body: {
          handling: {
            slow: balance('slow'),
            fast: balance('fast'),
            small_lift: test(form.small_lift),
            small_throttle: test(form.small_throttle),
          },
          readings: readings.value.map((item) => ({
            when: item.when || 'not said',
            how: item.how,
            tread_pct: numbers((wheel) => readNumber(item.tread[wheel])),
            hot_pressure_kpa: numbers((wheel) =>
              readIn('pressure', item.pressure[wheel], before(item, 'hot_pressure_kpa', wheel)),
            ),
            track_temp_c: readIn('temperature', item.track, before(item, 'track_temp_c')),
            air_temp_c: readIn('temperature', item.air, before(item, 'air_temp_c')),
            fuel_left_l: readIn('volume', item.fuel, before(item, 'fuel_left_l')),
          })),
          note: form.note || null,
        },
      }),
    )
  },
  onSuccess: () => (open.value = false),
  onSettled: settled,
})
const felt = computed(() => {
  const handling = props.sheet.run.handling as Record<string, Record<string, number | null> | string | null>
  const out: string[] = []
  for (const speed of SPEEDS) {
    const known = PHASES.flatMap((phase) => {
      const value = (handling[speed] as Record<string, number | null> | undefined)?.[phase]
      return value === null || value === undefined ? [] : [{ phase, value }]
    })
    const told = known
      .filter((item) => item.value)
      .map(({ phase, value }) => `${WORDS[String(value)]} (${value > 0 ? '+' : '−'}${Math.abs(value)}) at the ${phase}`)
    if (known.length) out.push(`${speed} corners: ${told.join(', ') || 'balanced'}`)
  }
  if (handling.small_lift) out.push(`a small lift at the apex: ${handling.small_lift as string}`)
  if (handling.small_throttle) out.push(`a small throttle at the apex: ${handling.small_throttle as string}`)
  return out
})
const readingWords = (item: Typed) =>
  [
    Object.values(item.tread).some(Boolean)
      ? `tread ${WHEELS.map((wheel) => item.tread[wheel] || '–').join(' / ')} %`
      : '',
    Object.values(item.pressure).some(Boolean)
      ? `hot ${WHEELS.map((wheel) => item.pressure[wheel] || '–').join(' / ')} ${units.pressure}`
      : '',
    item.track && `track ${item.track} ${units.temperature}`,
    item.air && `air ${item.air} ${units.temperature}`,
    item.fuel && `${item.fuel} ${units.volume} left`,
  ]
    .filter(Boolean)
    .join(' · ')
</script>

<template>
  <section class="sheet part" aria-labelledby="feel-title">
    <h2 id="feel-title">How it felt, what was read</h2>
    <template v-if="!open">
      <p v-if="!felt.length && !readings.length && !form.note" class="quiet">
        Nothing yet. After the run, while it is fresh: where it pushed, where it was loose, tread and pressures.
      </p>
      <ul v-else>
        <li v-for="words in felt" :key="words">{{ words }}</li>
        <li v-for="(item, index) in readings" :key="index">
          {{ item.when }}<template v-if="item.how"> ({{ item.how }})</template>: {{ readingWords(item) }}
        </li>
        <li v-if="form.note">“{{ form.note }}”</li>
      </ul>
      <div class="buttons"><v-btn size="small" variant="outlined" @click="open = true">Write it down</v-btn></div>
    </template>
    <form v-else v-draft="`feel of ${nameOf(runKey)}`" @submit.prevent="save.mutate()">
      <table class="balance">
        <caption class="quiet">
          From −3 (pushes) to +3 (loose)
        </caption>
        <thead>
          <tr>
            <td />
            <th v-for="phase in PHASES" :key="phase" scope="col">{{ phase }}</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="speed in SPEEDS" :key="speed">
            <th scope="row">{{ speed }}</th>
            <td v-for="phase in PHASES" :key="phase">
              <select v-model="form[speed][phase]" :aria-label="`${speed} corners, ${phase}`">
                <option value="">–</option>
                <option v-for="value in ['-3', '-2', '-1', '0', '1', '2', '3']" :key="value" :value="value">
                  {{ value.replace('-', '−') }} {{ WORDS[value] }}
                </option>
              </select>
            </td>
          </tr>
        </tbody>
      </table>
      <p class="tests">
        <label
          >Small lift at the apex
          <select v-model="form.small_lift">
            <option value="">–</option>
            <option>calm</option>
            <option>abrupt</option>
          </select></label
        >
        <label
          >Small throttle at the apex
          <select v-model="form.small_throttle">
            <option value="">–</option>
            <option>calm</option>
            <option>abrupt</option>
          </select></label
        >
      </p>
      <fieldset v-for="(item, index) in readings" :key="index">
        <legend>Reading {{ index + 1 }}</legend>
        <div class="fields small-fields">
          <label>When <input v-model="item.when" class="field" maxlength="120" /></label>
          <label>How <input v-model="item.how" class="field" maxlength="120" placeholder="garage, gauge" /></label>
        </div>
        <table class="wheels">
          <thead>
            <tr>
              <td />
              <th v-for="wheel in WHEELS" :key="wheel" scope="col">{{ wheel.replace('_', ' ') }}</th>
            </tr>
          </thead>
          <tbody>
            <tr>
              <th scope="row">tread, %</th>
              <td v-for="wheel in WHEELS" :key="wheel">
                <input
                  v-model="item.tread[wheel]"
                  v-reads
                  class="field"
                  size="4"
                  inputmode="decimal"
                  :aria-label="`Reading ${index + 1}: tread ${wheel.replace('_', ' ')}, %`"
                />
              </td>
            </tr>
            <tr>
              <th scope="row">hot, {{ units.pressure }}</th>
              <td v-for="wheel in WHEELS" :key="wheel">
                <input
                  v-model="item.pressure[wheel]"
                  v-reads
                  class="field"
                  size="4"
                  inputmode="decimal"
                  :aria-label="`Reading ${index + 1}: hot pressure ${wheel.replace('_', ' ')}, ${units.pressure}`"
                />
              </td>
            </tr>
          </tbody>
        </table>
        <div class="fields small-fields">
          <label
            >Track, {{ units.temperature }} <input v-model="item.track" v-reads class="field" inputmode="decimal"
          /></label>
          <label
            >Air, {{ units.temperature }} <input v-model="item.air" v-reads class="field" inputmode="decimal"
          /></label>
          <label
            >Fuel left, {{ units.volume }} <input v-model="item.fuel" v-reads class="field" inputmode="decimal"
          /></label>
        </div>
        <button type="button" class="link" @click="readings.splice(index, 1)">Remove reading {{ index + 1 }}</button>
      </fieldset>
      <p><button type="button" class="link" @click="add">Add a reading</button></p>
      <label class="noted">Note <textarea v-model="form.note" class="field" rows="2" maxlength="2000" /></label>
      <TroubleNote :error="save.error.value" />
      <div class="buttons">
        <WorkButton size="small" type="submit" color="primary" :disabled="!!wrong" :loading="save.isPending.value"
          >Keep</WorkButton
        >
        <v-btn size="small" variant="outlined" @click="((open = false), show())">Leave it</v-btn>
        <span v-if="wrong" class="quiet" role="status">“{{ wrong }}” is not a number.</span>
      </div>
    </form>
  </section>
</template>

<style scoped>
ul {
  padding-left: 18px;
}
table th {
  font-weight: 600;
  font-size: 0.82rem;
  text-align: left;
  padding: 1px 6px 1px 0;
}
.balance {
  table-layout: fixed;
  width: 100%;
}
.balance td:first-child,
.balance tbody th {
  width: 38px;
}
.balance select {
  width: 100%;
}
caption {
  text-align: left;
  font-size: 0.86rem;
}
.tests {
  display: grid;
  gap: 4px;
  margin: 6px 0;
}
fieldset {
  border: 1px solid var(--rule);
  border-radius: 3px;
  padding: 4px 10px 8px;
  margin: 6px 0;
}
.wheels input {
  width: 100%;
  max-width: 58px;
}
.small-fields {
  grid-template-columns: repeat(auto-fill, minmax(80px, 1fr));
  margin: 4px 0;
}
.noted {
  display: grid;
}
</style>
