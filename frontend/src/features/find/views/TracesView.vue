<script setup lang="ts">
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { RouterLink, useRoute, useRouter } from 'vue-router'
import { answer, api, type TracedLap } from '@/shared/api/client'
import { useBook } from '@/features/track/book'
import type { StripCorner } from '@/shared/charts/LapStrip.vue'
import { inUnit, units } from '@/shared/units'
import { CHANNELS, figureAt, inkOf, pen, valueAt } from '@/shared/charts/traces'
import { handOver } from '@/shared/charts/picture'
import PictureFrame from '@/shared/charts/PictureFrame.vue'
import TraceStrip from '@/shared/charts/TraceStrip.vue'
import { count, gap, lapTime } from '@/shared/format'
import CombinationSwitch from '@/shared/parts/CombinationSwitch.vue'
import SkeletonRows from '@/shared/parts/SkeletonRows.vue'
import TraceChooser from '@/features/find/parts/TraceChooser.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import { useCombination } from '@/shared/queries'

/** Laps laid over each other: which ones, in which channel and where stands in the address. */
const props = defineProps<{ id: string }>()
const route = useRoute()
const router = useRouter()
const combination = useCombination(() => props.id)
const asked = useBook(() => combination.data.value?.layout_id ?? '')
const book = computed(() => asked.data.value)
const traced = useQuery({
  queryKey: ['traces', () => props.id],
  queryFn: () =>
    answer(api.GET('/api/combinations/{combination_id}/traces', { params: { path: { combination_id: props.id } } })),
})
const all = computed(() => traced.data.value?.items ?? [])
const byKey = computed(() => new Map(all.value.map((lap) => [lap.key, lap])))

const many = (value: unknown) => (Array.isArray(value) ? value.map(String) : value ? [String(value)] : [])
/** What is asked for; else the fastest lap that counts and the driver's next one. */
const keys = computed(() => {
  const named = many(route.query.lap).filter((key) => byKey.value.has(key))
  if (named.length) return named.slice(0, 12)
  const good = all.value.filter((lap) => lap.counts).sort((a, b) => a.time_us - b.time_us)
  const first = good[0] ?? all.value[0]
  if (!first) return []
  const second = good.find((lap) => lap !== first && lap.driver === first.driver) ?? good[1]
  return [first, second].filter((lap): lap is TracedLap => !!lap).map((lap) => lap.key)
})
const channel = computed(() =>
  typeof route.query.channel === 'string' && CHANNELS[route.query.channel] ? route.query.channel : 'speed_kmh',
)
const length = computed(() => book.value?.length_m ?? 0)
const from = ref(0)
const to = ref(0)
const at = ref(0)
const chosen = ref(1)
watch(
  length,
  (metres) => {
    if (!metres) return
    const [low, high] = [Number(route.query.from), Number(route.query.to)]
    const known = high > low && high <= metres
    from.value = known ? low : 0
    to.value = known ? high : metres
    at.value = Number(route.query.at) || (from.value + to.value) / 2
  },
  { immediate: true },
)
watch(keys, (laps) => (chosen.value = Math.min(Math.max(1, chosen.value), Math.max(0, laps.length - 1))))
const put = (query: Record<string, string | string[]>) => void router.replace({ query: { ...route.query, ...query } })
let timer = 0
/** A little more than is seen is asked for, so that moving it finds something there; and not at each step of the wheel. */
const wanted = ref<[number, number]>([0, 0])
function settle(low: number, high: number) {
  window.clearTimeout(timer)
  timer = window.setTimeout(() => {
    const air = (high - low) * 0.25
    wanted.value = [Math.max(0, Math.floor(low - air)), Math.min(length.value, Math.ceil(high + air))]
    const whole = low <= 0 && high >= length.value
    put({ from: whole ? [] : low.toFixed(0), to: whole ? [] : high.toFixed(0) })
  }, 160)
}
watch([from, to], ([low, high]) => high > low && settle(low, high))
const overlay = useQuery({
  queryKey: ['overlay', () => props.id, keys, channel, wanted],
  enabled: computed(() => keys.value.length > 0 && wanted.value[1] > wanted.value[0]),
  placeholderData: keepPreviousData,
  queryFn: () =>
    answer(
      api.GET('/api/combinations/{combination_id}/traces/overlay', {
        params: {
          path: { combination_id: props.id },
          query: {
            lap: keys.value,
            channel: channel.value as 'speed_kmh',
            start_m: wanted.value[0],
            end_m: wanted.value[1],
            points: 1000,
          },
        },
      }),
    ),
})
const corners = computed<StripCorner[]>(() =>
  (book.value?.corners ?? []).map((corner, index) => ({
    key: corner.code,
    code: corner.code,
    name: corner.name,
    start_m: corner.start_m,
    apex_m: corner.apex_m,
    end_m: corner.end_m,
    direction: corner.direction,
    level: corner.importance.level,
    rank: index,
  })),
)
const about = computed(() => {
  const told = CHANNELS[channel.value]!
  return channel.value === 'speed_kmh' ? { ...told, unit: units.speed } : told
})
const shown = computed(() =>
  overlay.data.value?.laps.map((lap) => lap.key).join() === keys.value.join() ? overlay.data.value : undefined,
)
/** The same in the unit in use; files keep km/h, as their columns say. */
const drawn = computed(() =>
  shown.value && channel.value === 'speed_kmh'
    ? {
        ...shown.value,
        laps: shown.value.laps.map((lap) => ({
          ...lap,
          values: lap.values.map((value) => (value === null ? null : inUnit('speed', value))),
        })),
      }
    : shown.value,
)
/** What is read at the line, lap by lap. */
const readings = computed(() =>
  keys.value.map((key, index) => {
    const lap = drawn.value?.laps[index]
    const value = lap ? valueAt(lap.distance_m, lap.values, at.value) : null
    const behind = lap && drawn.value ? valueAt(drawn.value.places_m, lap.behind_s, at.value) : null
    return {
      key,
      lap: byKey.value.get(key),
      value: value === null ? '–' : value.toFixed(about.value.decimals),
      behind: behind === null ? '–' : index ? gap(behind * 1e6) : '',
      missing: lap?.missing ?? false,
      by: lap?.by,
      told: byKey.value.get(key)?.told ?? [],
    }
  }),
)
/** The session only where laps of several are shown. */
const several = computed(() => new Set(keys.value.map((key) => byKey.value.get(key)?.session)).size > 1)
const named = (lap: TracedLap | undefined) =>
  lap ? `${lap.driver}, lap ${lap.number}${several.value ? `, session ${lap.session}` : ''}` : ''
const corner = computed(() => corners.value.find((item) => at.value >= item.start_m && at.value <= item.end_m))
const told = computed(
  () =>
    `${Math.round(at.value)} m${corner.value ? `, ${corner.value.code}` : ''}: ${readings.value.map((item) => `${named(item.lap)} ${item.value} ${about.value.unit}${item.behind ? `, ${item.behind} s` : ''}`).join('; ')}`,
)
/** What the lines show, at each place at which the difference is told. */
function takeFigures(form: 'csv' | 'json') {
  const found = shown.value
  if (!found) return
  const names = keys.value.map((key) => named(byKey.value.get(key)))
  const rows = found.places_m.map((place, index) => ({
    distance_m: place,
    laps: found.laps.map((lap) => ({
      value: valueAt(lap.distance_m, lap.values, place),
      behind_s: lap.behind_s[index] ?? null,
    })),
  }))
  const quoted = (text: string) => `"${text.replaceAll('"', '""').replace(/^[=+@-]/, "'$&")}"`
  const text =
    form === 'json'
      ? JSON.stringify({ channel: channel.value, laps: names, rows })
      : [
          [
            'distance_m',
            ...names.flatMap((name) => [quoted(`${name}: ${channel.value}`), quoted(`${name}: behind_s`)]),
          ],
          ...rows.map((row) => [row.distance_m, ...row.laps.flatMap((lap) => [lap.value ?? '', lap.behind_s ?? ''])]),
        ]
          .map((row) => row.join(','))
          .join('\r\n')
  handOver(
    new Blob([text], { type: form === 'json' ? 'application/json' : 'text/csv' }),
    `traces, ${channel.value}`,
    form,
  )
}
/** The laps themselves, with all their channels. */
const parquet = computed(
  () => `/api/combinations/${props.id}/traces.parquet?${new URLSearchParams(keys.value.map((key) => ['lap', key]))}`,
)
const chart = ref<InstanceType<typeof TraceStrip>>()
function stretch(low: number, high: number) {
  from.value = low
  to.value = high
}
</script>

<template>
  <div class="top">
    <h1>Traces</h1>
    <p v-if="combination.data.value" class="where">
      <RouterLink :to="{ name: 'combination', params: { id } }"
        >{{ combination.data.value.track }}, {{ combination.data.value.layout }} ·
        {{ combination.data.value.car }}</RouterLink
      >
    </p>
    <CombinationSwitch :id="id" class="end" />
  </div>
  <TroubleNote
    :error="traced.error.value ?? asked.error.value ?? overlay.error.value"
    :again="() => traced.refetch()"
  />
  <SkeletonRows v-if="traced.isPending.value || (all.length && !book)" :rows="12" label="Loading the traces" />
  <section v-else-if="!all.length" class="sheet empty">
    <h2>No lap here has a trace yet</h2>
    <p>Traces come in telemetry files, or from a rig while somebody drives.</p>
    <v-btn color="primary" :to="{ name: 'telemetry', params: { id } }">Add telemetry</v-btn>
  </section>
  <template v-else-if="book && keys.length">
    <div class="bar">
      <label
        >Channel
        <select :value="channel" @change="put({ channel: ($event.target as HTMLSelectElement).value })">
          <option v-for="(item, name) in CHANNELS" :key="name" :value="name">{{ item.name }}</option>
        </select></label
      >
      <span class="acts" role="group" aria-label="What is looked at">
        <v-btn size="small" variant="outlined" aria-label="Look nearer" @click="chart?.zoom(0.6)">+</v-btn>
        <v-btn size="small" variant="outlined" aria-label="Look from further away" @click="chart?.zoom(1 / 0.6)"
          >−</v-btn
        >
        <v-btn size="small" variant="outlined" :disabled="from <= 0 && to >= length" @click="stretch(0, length)"
          >Whole lap</v-btn
        >
        <v-btn size="small" variant="outlined" @click="chart?.jump(-1)">← corner</v-btn>
        <v-btn size="small" variant="outlined" @click="chart?.jump(1)">corner →</v-btn>
      </span>
      <span class="quiet">drag to move · Ctrl and wheel, or two fingers, to look nearer</span>
    </div>
    <section class="sheet strip" aria-label="Traces over the lap strip">
      <PictureFrame :name="`traces, ${about.name}`"
        ><TraceStrip
          ref="chart"
          :overlay="drawn"
          :length="length"
          :corners="corners"
          :from="from"
          :to="to"
          :at="at"
          :chosen="chosen"
          :label="`${about.name} over the lap`"
          :told="told"
          @at="at = $event"
          @stretch="stretch"
      /></PictureFrame>
      <p class="take quiet" role="group" aria-label="Figures of the lines">
        Figures:
        <button type="button" :disabled="!shown" @click="takeFigures('csv')">
          CSV<span class="visually-hidden"> of the lines</span>
        </button>
        ·
        <button type="button" :disabled="!shown" @click="takeFigures('json')">
          JSON<span class="visually-hidden"> of the lines</span>
        </button>
        ·
        <a :href="parquet" download>Parquet<span class="visually-hidden"> of the laps, as they were recorded</span></a>
      </p>
    </section>
    <div class="columns">
      <section class="sheet part" aria-labelledby="read-title">
        <h2 id="read-title">
          At {{ Math.round(at) }} m<template v-if="corner">, {{ corner.code }} {{ corner.name }}</template>
        </h2>
        <div class="scroll-x" tabindex="0" role="group" aria-label="Values at this place">
          <table class="ledger">
            <thead>
              <tr>
                <th scope="col"><span class="visually-hidden">Line</span></th>
                <th scope="col">Lap</th>
                <th scope="col" class="number">Lap time</th>
                <th scope="col" class="number">
                  {{ about.name.split(',')[0] }}<template v-if="about.unit">, {{ about.unit }}</template>
                </th>
                <th scope="col" class="number">Behind, s</th>
                <th scope="col">Band</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="(item, index) in readings" :key="item.key">
                <td>
                  <svg width="44" height="10" aria-hidden="true">
                    <line x1="1" x2="43" y1="5" y2="5" :stroke="inkOf(index)" :stroke-width="pen(index).width" />
                    <path :d="figureAt(index, 22, 5)" :stroke="inkOf(index)" fill="var(--sheet)" stroke-width="1.5" />
                  </svg>
                </td>
                <th scope="row">
                  {{ named(item.lap) }}<span v-if="!index" class="quiet"> others are held against it</span
                  ><span v-if="item.missing" class="ochre"> hasn’t recorded this</span
                  ><span v-if="item.told.length" class="ochre" :title="item.told.join('; ')">
                    {{ count(item.told.length, 'stretch', 'stretches') }} can’t be used</span
                  >
                </th>
                <td class="number">{{ lapTime(item.lap?.time_us ?? null) }}</td>
                <td class="number">{{ item.value }}</td>
                <td class="number" :data-behind="index || undefined">{{ item.behind }}</td>
                <td>
                  <input
                    v-if="index"
                    v-model="chosen"
                    type="radio"
                    name="band"
                    :value="index"
                    :aria-label="`Band of ${named(item.lap)}`"
                  />
                </td>
              </tr>
            </tbody>
          </table>
        </div>
      </section>
      <TraceChooser :laps="all" :keys="keys" @choose="put({ lap: $event })" />
    </div>
  </template>
</template>

<style scoped>
.take {
  padding: 0 12px 4px;
  text-align: right;
  font-size: 0.85rem;
}
.take button {
  color: var(--accent);
  text-decoration: underline;
  text-underline-offset: 2px;
}
.top,
.bar {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 4px 14px;
}
.bar {
  align-items: center;
  margin: 6px 0;
}
.acts {
  display: flex;
  gap: 6px;
}
.strip {
  padding: 2px 0;
  margin-bottom: 10px;
}
.columns {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 430px);
  gap: 12px;
  align-items: start;
}
@media (max-width: 860px) {
  .columns {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
