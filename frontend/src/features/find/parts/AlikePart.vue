<script setup lang="ts">
import { computed } from 'vue'
import { useRouter } from 'vue-router'
import { type DriverPace, type PaceRun } from '@/shared/api/client'
import PlotField, { type PlotLine, type PlotPoint } from '@/shared/charts/PlotField.vue'
import PictureFrame from '@/shared/charts/PictureFrame.vue'
import { runPlace } from '@/features/drive/runs'
import { runName, secondsOf } from '@/features/find/pace'
import AlsoNote from '@/features/find/parts/AlsoNote.vue'
import RunTables from '@/features/find/parts/RunTables.vue'
import WeekSpreads from '@/features/find/parts/WeekSpreads.vue'
import { count, gap, lapTime, perCent } from '@/shared/format'
import { type Words } from '@/features/find/pace'

/** How alike a driver's laps are: in the order of driving, in figures, by part, by run and by week. */
const props = defineProps<{
  id: string
  driver: string
  week?: string
  pace: DriverPace
  names: Record<string, string | null>
  markWords: Words
}>()
const router = useRouter()
const figures = computed(() => props.pace.figures.consistency)
const missing = computed(() => props.pace.missing)
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
  for (const run of props.pace.runs) for (const lap of run.laps) out.push({ run, lap, x: out.length + 1 })
  return out
})
const key = (item: Placed) => `${item.run.session}\n${item.run.run}\n${item.lap.lap}`
const points = computed<PlotPoint[]>(() =>
  placed.value.map((item) => ({
    key: key(item),
    x: item.x,
    y: item.lap.time_us,
    ring: !item.lap.clean,
    words: `${runName(item.run)}, lap ${item.lap.lap}: ${lapTime(item.lap.time_us)}${item.lap.clean ? '' : `, ${item.lap.marks.map((mark) => props.markWords[mark]?.name ?? mark).join(', ')}`}`,
  })),
)
const trends = computed<PlotLine[]>(() =>
  props.pace.runs.flatMap((run) => {
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
  props.pace.runs.flatMap((run) => {
    const first = placed.value.find((item) => item.run === run)
    return first ? [{ from: first.x - 0.5, words: `${run.session}·${run.run ?? ''}` }] : []
  }),
)
function open(which: string) {
  const item = placed.value.find((one) => key(one) === which)
  if (item) void router.push(sheetOf(item.run))
}
const shares = computed(() => {
  const share = figures.value.share ?? {}
  const most = Math.max(0.01, ...Object.values(share).map(Math.abs))
  return Object.entries(share).map(([code, value]) => ({
    code,
    value,
    width: `${(50 * Math.abs(value)) / most}%`,
    interval: figures.value.share_interval?.[code],
  }))
})
</script>

<template>
  <section class="sheet part" aria-labelledby="alike">
    <h2 id="alike">How alike the laps are<AlsoNote /></h2>
    <p v-if="!points.length" class="quiet">
      No flying lap with these tyres and in this weather yet. Add laps, and they stand here in the order in which they
      were driven.
    </p>
    <PictureFrame v-else :name="`laps and trends, ${pace.name}`"
      ><PlotField
        :points="points"
        :lines="trends"
        :parts="parts"
        :high="230"
        across="laps in the order of driving; rings don't count; a line is the run's trend"
        :format="(value) => lapTime(value, 1)"
        :label="`${count(points.length, 'flying lap')} of ${pace.name}, ${figures.n} of them clean, with each run's trend`"
        @pick="open"
    /></PictureFrame>
    <div class="halves">
      <dl class="facts">
        <div>
          <dt>Adjusted deviation</dt>
          <dd>{{ secondsOf(figures.adjusted_sd_us) }}</dd>
          <dd class="quiet">
            {{ figures.adjusted_sd_us === null ? missing['consistency.adjusted_sd_us'] : 'about each run’s own trend' }}
          </dd>
        </div>
        <div>
          <dt>Raw deviation</dt>
          <dd>{{ secondsOf(figures.sd_us) }}</dd>
          <dd class="quiet">drift and scatter together</dd>
        </div>
        <div>
          <dt>Spread</dt>
          <dd>{{ figures.spread_pct === null ? '–' : `${figures.spread_pct.toFixed(2)} %` }}</dd>
          <dd class="quiet">
            of the median of {{ lapTime(figures.median_us)
            }}<template v-if="pace.team_ratio !== null"
              >; {{ pace.team_ratio.toFixed(2) }} × the team’s middle</template
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
          <dd class="quiet">{{ figures.n }} of {{ pace.figures.laps.eligible }} that could be</dd>
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
        <p v-for="line in pace.share_words" :key="line">{{ line }}</p>
      </div>
    </div>
    <RunTables :id="id" :driver="driver" :pace="pace" />
    <WeekSpreads :id="id" :driver="driver" :week="week" />
    <p v-if="pace.by_condition.length > 1">
      <template v-for="(item, index) in pace.by_condition" :key="index"
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
</template>

<style scoped src="@/features/find/pace.css"></style>
