<script setup lang="ts">
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { RouterLink, useRoute, useRouter } from 'vue-router'
import { answer, api, type PaceRun } from '@/shared/api/client'
import PlotField, { type PlotLine, type PlotPoint } from '@/shared/charts/PlotField.vue'
import PictureFrame from '@/shared/charts/PictureFrame.vue'
import { count, gap, lapTime, perCent } from '@/shared/format'
import { useAlso } from '@/features/find/look'
import AlsoNote from '@/features/find/parts/AlsoNote.vue'
import OptionsPart from '@/features/find/parts/OptionsPart.vue'
import SharePart from '@/features/find/parts/SharePart.vue'
import SwitchesPart from '@/features/find/parts/SwitchesPart.vue'
import VersusPart from '@/features/find/parts/VersusPart.vue'
import SkeletonRows from '@/shared/parts/SkeletonRows.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import { PURPOSES, runPlace } from '@/features/drive/runs'

const props = defineProps<{ id: string; driver: string }>()
const route = useRoute()
const router = useRouter()
const week = computed(() => (route.query.week && route.query.week !== 'all' ? String(route.query.week) : undefined))
const also = useAlso()
const combination = useQuery({
  queryKey: ['combination', () => props.id],
  queryFn: () =>
    answer(api.GET('/api/combinations/{combination_id}', { params: { path: { combination_id: props.id } } })),
})
const analysis = useQuery({
  queryKey: ['analysis', () => props.id, week, also],
  placeholderData: keepPreviousData,
  queryFn: () =>
    answer(
      api.GET('/api/combinations/{combination_id}/analysis', {
        params: { path: { combination_id: props.id }, query: { week: week.value, also: also.value } },
      }),
    ),
})
const pace = useQuery({
  queryKey: ['driver-laps', () => props.id, () => props.driver, 'pace', week, also],
  placeholderData: keepPreviousData,
  queryFn: () =>
    answer(
      api.GET('/api/combinations/{combination_id}/drivers/{driver_id}/pace', {
        params: {
          path: { combination_id: props.id, driver_id: props.driver },
          query: { week: week.value, also: also.value },
        },
      }),
    ),
})
const spreads = useQuery({
  queryKey: ['driver-laps', 'steadiness', () => props.driver],
  queryFn: () =>
    answer(api.GET('/api/drivers/{driver_id}/steadiness', { params: { path: { driver_id: props.driver } } })),
})
const shown = computed(() => (pace.data.value?.id === props.driver ? pace.data.value : undefined))
const figures = computed(() => shown.value?.figures.consistency)
const names = computed(() =>
  Object.fromEntries((analysis.data.value?.segments ?? []).map((segment) => [segment.code, segment.name])),
)
const markWords = computed(() => analysis.data.value?.mark_words ?? {})

const runName = (run: PaceRun) => `session ${run.session}, run ${run.run ?? '–'}`
const sheetOf = (run: PaceRun) =>
  runPlace(props.id, { session_id: run.session_id, driver_id: props.driver, number: run.run ?? 0 })
interface Placed {
  run: PaceRun
  lap: PaceRun['laps'][number]
  x: number
}
/** All flying laps in the order in which they were driven. */
const placed = computed<Placed[]>(() => {
  const out: Placed[] = []
  for (const run of shown.value?.runs ?? []) for (const lap of run.laps) out.push({ run, lap, x: out.length + 1 })
  return out
})
const key = (item: Placed) => `${item.run.session}\n${item.run.run}\n${item.lap.lap}`
const points = computed<PlotPoint[]>(() =>
  placed.value.map((item) => ({
    key: key(item),
    x: item.x,
    y: item.lap.time_us,
    ring: !item.lap.clean,
    words: `${runName(item.run)}, lap ${item.lap.lap}: ${lapTime(item.lap.time_us)}${item.lap.clean ? '' : `, ${item.lap.marks.map((mark) => markWords.value[mark]?.name ?? mark).join(', ')}`}`,
  })),
)
const trends = computed<PlotLine[]>(() =>
  (shown.value?.runs ?? []).flatMap((run) => {
    const clean = placed.value.filter((item) => item.run === run && item.lap.clean)
    const [first, last] = [clean[0], clean.at(-1)]
    return run.line_us && first && last
      ? [
          {
            key: runName(run),
            kind: 'trend' as const,
            at: [
              [first.x, run.line_us[0]!],
              [last.x, run.line_us[1]!],
            ] as [number, number][],
          },
        ]
      : []
  }),
)
const parts = computed(() =>
  (shown.value?.runs ?? []).flatMap((run) => {
    const first = placed.value.find((item) => item.run === run)
    return first ? [{ from: first.x - 0.5, words: `${run.session}·${run.run ?? ''}` }] : []
  }),
)
function open(which: string) {
  const item = placed.value.find((one) => key(one) === which)
  if (item) void router.push(sheetOf(item.run))
}
const shares = computed(() => {
  const share = figures.value?.share ?? {}
  const most = Math.max(0.01, ...Object.values(share).map(Math.abs))
  return Object.entries(share).map(([code, value]) => ({
    code,
    value,
    width: `${(50 * Math.abs(value)) / most}%`,
    interval: figures.value?.share_interval?.[code],
  }))
})
const learning = computed(() => shown.value?.learning)
const learningPoints = computed<PlotPoint[]>(() =>
  (learning.value?.points ?? []).map((point, index) => ({
    key: String(index),
    x: point.laps_done,
    y: point.median_us,
    words: `after ${Math.round(point.laps_done)} laps: median ${lapTime(point.median_us)}`,
  })),
)
const learningLines = computed<PlotLine[]>(() => {
  const curve = learning.value?.curve ?? []
  const lines: PlotLine[] = curve.length
    ? [{ key: 'curve', kind: 'curve', at: curve.map((point) => [point.laps_done, point.median_us]) }]
    : []
  const target = shown.value?.target_us
  if (target && learningPoints.value.length)
    lines.push({
      key: 'target',
      kind: 'target',
      at: [
        [learningPoints.value[0]!.x, target],
        [curve.at(-1)?.laps_done ?? learningPoints.value.at(-1)!.x, target],
      ],
    })
  return lines
})
type Par = NonNullable<typeof shown.value>['pars'][number]
const parPoints = (par: Par): PlotPoint[] =>
  par.laps.map((lap) => ({
    key: `${lap.run}:${lap.lap}`,
    x: lap.minute,
    y: lap.time_us,
    ring: !lap.clean,
    words: `run ${lap.run ?? '–'}, lap ${lap.lap}: ${lapTime(lap.time_us)}, ${gap(lap.behind_us)} against par`,
  }))
const parLines = (par: Par): PlotLine[] => [
  { key: 'par', kind: 'curve', at: par.curve.map((point) => [point.minute, point.par_us]) },
]
function openPar(par: Par, which: string) {
  void router.push(
    runPlace(props.id, {
      session_id: par.session_id,
      driver_id: props.driver,
      number: Number(which.split(':')[0]) || 0,
    }),
  )
}
const missing = computed(() => shown.value?.missing ?? {})
const seconds = (value: number | null | undefined) =>
  value === null || value === undefined ? '–' : `${(value / 1_000_000).toFixed(3)} s`
const groupWords = computed(() => {
  const group = shown.value?.figures.group
  return group
    ? [group.race ? 'race' : 'practice', group.wetness, group.compound ? `${group.compound} tyres` : null]
        .filter(Boolean)
        .join(', ')
    : ''
})
function turnTo(event: Event) {
  void router.replace({
    name: 'driver-pace',
    params: { id: props.id, driver: (event.target as HTMLSelectElement).value },
    query: route.query,
  })
}
</script>

<template>
  <div class="top">
    <div>
      <h1>{{ shown ? `${shown.name}: pace and consistency` : 'Pace and consistency' }}</h1>
      <p v-if="combination.data.value" class="quiet">
        <RouterLink :to="{ name: 'combination', params: { id }, query: { ...route.query, driver } }"
          >{{ combination.data.value.track }}, {{ combination.data.value.layout }},
          {{ combination.data.value.car }}</RouterLink
        >
        <template v-if="shown"> · {{ groupWords }} · {{ shown.surer }}</template>
      </p>
    </div>
    <div class="acts">
      <label v-if="(analysis.data.value?.drivers.length ?? 0) > 1"
        >Driver
        <select :value="driver" @change="turnTo">
          <option v-for="item in analysis.data.value?.drivers" :key="item.id" :value="item.id">{{ item.name }}</option>
        </select>
      </label>
      <SharePart
        v-if="shown"
        :id="id"
        :week="week"
        :driver="{ id: driver, name: shown.name }"
        :tables="[
          { what: 'pace', words: 'Pace and consistency' },
          { what: 'laps', words: 'Laps with losses' },
        ]"
      />
    </div>
  </div>
  <SwitchesPart :countable="shown?.countable" />
  <TroubleNote :error="pace.error.value ?? combination.error.value" :again="() => pace.refetch()" />
  <SkeletonRows v-if="pace.isPending.value" :rows="12" label="Computing the figures" />
  <template v-if="shown && figures">
    <section class="sheet part" aria-labelledby="alike">
      <h2 id="alike">How alike the laps are<AlsoNote /></h2>
      <p v-if="!points.length" class="quiet">
        No flying lap with these tyres and in this weather yet. Add laps, and they stand here in the order in which they
        were driven.
      </p>
      <PictureFrame v-else :name="`laps and trends, ${shown.name}`"
        ><PlotField
          :points="points"
          :lines="trends"
          :parts="parts"
          :high="230"
          across="laps in the order of driving; rings don't count; a line is the run's trend"
          :format="(value) => lapTime(value, 1)"
          :label="`${count(points.length, 'flying lap')} of ${shown.name}, ${figures.n} of them clean, with each run's trend`"
          @pick="open"
      /></PictureFrame>
      <div class="halves">
        <dl class="facts">
          <div>
            <dt>Adjusted deviation</dt>
            <dd>{{ seconds(figures.adjusted_sd_us) }}</dd>
            <dd class="quiet">
              {{
                figures.adjusted_sd_us === null ? missing['consistency.adjusted_sd_us'] : 'about each run’s own trend'
              }}
            </dd>
          </div>
          <div>
            <dt>Raw deviation</dt>
            <dd>{{ seconds(figures.sd_us) }}</dd>
            <dd class="quiet">drift and scatter together</dd>
          </div>
          <div>
            <dt>Spread</dt>
            <dd>{{ figures.spread_pct === null ? '–' : `${figures.spread_pct.toFixed(2)} %` }}</dd>
            <dd class="quiet">
              of the median of {{ lapTime(figures.median_us)
              }}<template v-if="shown.team_ratio !== null"
                >; {{ shown.team_ratio.toFixed(2) }} × the team’s middle</template
              >
            </dd>
          </div>
          <div>
            <dt>Within 0.5 %</dt>
            <dd>{{ perCent(figures.within_half_pct) }}</dd>
            <dd class="quiet">of clean laps, from their median</dd>
          </div>
          <div>
            <dt>Clean rate</dt>
            <dd>{{ perCent(figures.clean_rate) }}</dd>
            <dd class="quiet">{{ figures.n }} of {{ shown.figures.laps.eligible }} that could be</dd>
          </div>
          <div>
            <dt>Longest streak</dt>
            <dd>{{ figures.longest_streak ?? '–' }}</dd>
            <dd class="quiet">clean laps in a row within 0.3 %</dd>
          </div>
        </dl>
        <div>
          <h3>Where the scatter comes from</h3>
          <p v-if="!shares.length" class="quiet">
            Can’t be told: {{ missing['consistency.share'] ?? 'too few clean laps with all parts' }}.
          </p>
          <ul v-else class="shares">
            <li v-for="item in shares" :key="item.code">
              <span class="code" :title="names[item.code] ?? ''">{{ item.code }}</span>
              <span class="bar" aria-hidden="true"
                ><span
                  :class="{ back: item.value < 0 }"
                  :style="item.value < 0 ? { right: '50%', width: item.width } : { left: '50%', width: item.width }"
              /></span>
              <span class="number">{{ perCent(item.value) }}</span>
              <span class="quiet number interval">{{
                item.interval ? `${perCent(item.interval[0])} to ${perCent(item.interval[1])}` : ''
              }}</span>
            </li>
          </ul>
          <p v-for="line in shown.share_words" :key="line">{{ line }}</p>
        </div>
      </div>
      <div class="halves">
        <div class="scroll-x" tabindex="0" role="group" aria-label="Runs">
          <table class="ledger">
            <caption class="visually-hidden">
              Run by run
            </caption>
            <thead>
              <tr>
                <th scope="col">Run</th>
                <th scope="col">For</th>
                <th scope="col" class="number">Clean</th>
                <th scope="col" class="number">Median</th>
                <th scope="col" class="number">A lap</th>
                <th scope="col" class="number">Deviation</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="run in shown.runs" :key="runName(run)">
                <th scope="row">
                  <RouterLink :to="sheetOf(run)">{{ runName(run) }}</RouterLink>
                </th>
                <td>{{ run.purpose ? PURPOSES[run.purpose] : '–' }}</td>
                <td class="number">{{ run.clean }} of {{ run.flying }}</td>
                <td class="number">{{ lapTime(run.median_us) }}</td>
                <td class="number">{{ gap(run.slope_us) }}</td>
                <td class="number">{{ seconds(run.adjusted_us) }}</td>
              </tr>
            </tbody>
          </table>
        </div>
        <div class="scroll-x" tabindex="0" role="group" aria-label="Laps of the run">
          <table v-if="shown.by_lap_of_run.length" class="ledger">
            <caption class="visually-hidden">
              By lap of the run
            </caption>
            <thead>
              <tr>
                <th scope="col" class="number">Lap of run</th>
                <th scope="col" class="number">Laps</th>
                <th scope="col" class="number">Against the run’s median</th>
                <th scope="col" class="number">Deviation</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="item in shown.by_lap_of_run" :key="item.lap">
                <th scope="row" class="number">{{ item.lap }}</th>
                <td class="number">{{ item.n }}</td>
                <td class="number">{{ gap(item.offset_us) }}</td>
                <td class="number">{{ seconds(item.spread_us) }}</td>
              </tr>
            </tbody>
          </table>
        </div>
      </div>
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
      <p v-if="shown.by_condition.length > 1">
        <template v-for="(item, index) in shown.by_condition" :key="index"
          >{{ index ? '; ' : 'By condition: ' }}{{ item.race ? 'race' : 'practice' }}, {{ item.wetness
          }}{{ item.compound ? `, ${item.compound}` : '' }}: {{ count(item.clean, 'clean lap')
          }}<template v-if="item.median_us !== null">, median {{ lapTime(item.median_us) }}</template
          ><template v-if="item.falloff"
            >, {{ gap(item.falloff.us_per_lap) }} s a lap ({{ gap(item.falloff.low_us) }} to
            {{ gap(item.falloff.high_us) }})</template
          ></template
        >.
      </p>
    </section>

    <section class="sheet part" aria-labelledby="over">
      <h2 id="over">Pace over a run<AlsoNote /></h2>
      <ul class="told">
        <li v-for="line in shown.falloff_words" :key="line">{{ line }}</li>
      </ul>
      <details v-if="(shown.falloff?.by_set.length ?? 0) > 1">
        <summary>By tyre set</summary>
        <ul class="told">
          <li v-for="item in shown.falloff?.by_set" :key="item.tyre_set">
            {{ item.tyre_set }}: {{ gap(item.us_per_lap) }} a lap ({{ gap(item.low_us) }} to {{ gap(item.high_us) }})
          </li>
        </ul>
      </details>
      <ul v-if="shown.setup_changes.length" class="told">
        <li v-for="item in shown.setup_changes" :key="item.words">{{ item.words }}</li>
      </ul>
      <p v-if="shown.wheels.length">
        Tread:
        <template v-for="(item, index) in shown.wheels" :key="item.wheel"
          >{{ index ? '; ' : '' }}{{ item.wheel.replace('_', ' ') }} loses {{ item.per_lap_pct.toFixed(1) }} % a
          lap<template v-if="item.through_at !== null"
            >, through at lap {{ item.through_at }} of the set</template
          ></template
        >.
      </p>
      <div v-for="item in shown.pars" :key="item.session">
        <h3>Par for the minute, session {{ item.session }}</h3>
        <ul class="told">
          <li v-for="line in item.words" :key="line">{{ line }}</li>
        </ul>
        <PictureFrame :name="`par, session ${item.session}, ${shown.name}`"
          ><PlotField
            :points="parPoints(item)"
            :lines="parLines(item)"
            :high="190"
            across="minutes of the session; the line is par from everybody’s laps, brought to this driver’s level"
            :format="(value) => lapTime(value, 1)"
            :format-across="(value) => String(Math.round(value))"
            :label="`${shown.name} against par in session ${item.session}: ${item.words.join(' ')}`"
            @pick="(which) => openPar(item, which)"
        /></PictureFrame>
      </div>
      <h3>Push or save: two runs side by side</h3>
      <VersusPart :id="id" :driver="driver" :week="week" :pace="shown" />
    </section>

    <section class="sheet part" aria-labelledby="likely">
      <h2 id="likely">What is likely, and what is left to learn<AlsoNote /></h2>
      <div class="halves">
        <div>
          <table v-if="shown.figures.best_of" class="ledger">
            <caption class="visually-hidden">
              The likely best of n laps
            </caption>
            <thead>
              <tr>
                <th scope="col" class="number">Best of</th>
                <th scope="col" class="number">1 in 10</th>
                <th scope="col" class="number">As often as not</th>
                <th scope="col" class="number">9 in 10</th>
                <th v-if="shown.odds" scope="col" class="number">Odds of {{ lapTime(shown.target_us) }}</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="(item, index) in shown.figures.best_of" :key="item.laps">
                <th scope="row" class="number">{{ item.laps }}</th>
                <td class="number">{{ lapTime(item.p10_us) }}</td>
                <td class="number">{{ lapTime(item.p50_us) }}</td>
                <td class="number">{{ lapTime(item.p90_us) }}</td>
                <td v-if="shown.odds" class="number">{{ perCent(shown.odds[index]?.share) }}</td>
              </tr>
            </tbody>
          </table>
          <p v-else class="quiet">The likely best of several laps can’t be told: {{ missing['best_of'] }}.</p>
          <p v-if="shown.lap_to_show" class="mt-3">
            <b>Lap to show:</b> session {{ shown.lap_to_show.session }}, run {{ shown.lap_to_show.run }}, lap
            {{ shown.lap_to_show.lap }}: {{ lapTime(shown.lap_to_show.time_us) }}, only
            {{ seconds(shown.lap_to_show.excess_us) }} above the references in sum. To learn from, not the fastest.
          </p>
        </div>
        <div>
          <p>{{ learning?.words }}</p>
          <PictureFrame v-if="learningPoints.length > 1" :name="`learning, ${shown.name}`"
            ><PlotField
              :points="learningPoints"
              :lines="learningLines"
              :high="170"
              across="laps done"
              :format="(value) => lapTime(value, 1)"
              :label="`Run medians over laps done: ${learningPoints.map((point) => point.words).join('; ')}`"
          /></PictureFrame>
        </div>
      </div>
    </section>

    <section class="sheet part" aria-labelledby="options">
      <h2 id="options">Options that were tried<AlsoNote /></h2>
      <OptionsPart :options="shown.options" :names="names" />
    </section>
  </template>
</template>

<style scoped>
.top {
  display: flex;
  flex-wrap: wrap;
  justify-content: space-between;
  align-items: end;
  gap: 4px 20px;
  margin-bottom: 8px;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 6px 14px;
}
.part {
  padding: 10px 14px 14px;
  margin-bottom: 12px;
}
h3 {
  font-size: 1rem;
  margin-top: 10px;
}
.halves {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(min(100%, 400px), 1fr));
  gap: 8px 28px;
  margin-top: 8px;
}
.facts > div {
  display: grid;
  grid-template-columns: 150px 78px 1fr;
  gap: 8px;
  padding: 2px 0;
  border-bottom: 1px solid var(--rule);
}
.facts dt {
  color: var(--quiet);
}
.facts dd:nth-child(2) {
  font-weight: 600;
  text-align: right;
  font-variant-numeric: tabular-nums lining-nums;
}
.shares {
  list-style: none;
  padding: 0;
}
.shares li {
  display: grid;
  grid-template-columns: 40px 1fr 52px 110px;
  gap: 8px;
  align-items: center;
}
.bar {
  position: relative;
  height: 9px;
  background: linear-gradient(var(--quiet), var(--quiet)) center / 1px 100% no-repeat;
}
.bar span {
  position: absolute;
  top: 0;
  bottom: 0;
  background: var(--loss);
}
.bar .back {
  background: var(--accent);
}
.number {
  text-align: right;
  font-variant-numeric: tabular-nums lining-nums;
}
.told {
  padding-left: 18px;
}
table.ledger tbody th {
  font-weight: 400;
  color: inherit;
  border-bottom: 1px solid var(--rule);
  font-size: inherit;
  padding: 4px 9px;
}
.here {
  box-shadow: inset 3px 0 0 var(--accent);
}
.scroll-x {
  overflow-x: auto;
}
@media (max-width: 600px) {
  .facts > div {
    grid-template-columns: 1fr 78px;
  }
  .facts dd:nth-child(3) {
    grid-column: 1 / -1;
  }
  .shares li {
    grid-template-columns: 36px 1fr 48px;
  }
  .interval {
    display: none;
  }
}
</style>
