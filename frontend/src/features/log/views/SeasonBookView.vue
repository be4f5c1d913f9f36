<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { RouterLink } from 'vue-router'
import { answer, api, type Schemas } from '@/shared/api/client'
import PictureFrame from '@/shared/charts/PictureFrame.vue'
import { date } from '@/shared/format'
import { ties } from '@/features/log/log'
import LogLinks from '@/features/log/parts/LogLinks.vue'
import SkeletonRows from '@/shared/parts/SkeletonRows.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'

/** A driver's season on one page, week by week: four threads over the same weeks, mistakes as a woven strip below, and what was learned. */
const props = defineProps<{ driver: string }>()
const asked = useQuery({
  queryKey: ['season', () => props.driver],
  queryFn: () => answer(api.GET('/api/drivers/{driver_id}/season', { params: { path: { driver_id: props.driver } } })),
})
const book = computed(() => asked.data.value)
/** What recurred takes its time where laps are new. */
const found = useQuery({
  queryKey: ['season', () => props.driver, 'mistakes'],
  queryFn: () =>
    answer(api.GET('/api/drivers/{driver_id}/season/mistakes', { params: { path: { driver_id: props.driver } } })),
})
const mistakes = computed(() =>
  (found.data.value?.items ?? []).filter((item) => item.costs_us.length === book.value?.weeks.length),
)
const groups = computed(() => {
  const out: { name: string; weeks: number }[] = []
  for (const week of book.value?.weeks ?? []) {
    const name = week.series ?? 'in no week'
    if (out.at(-1)?.name === name) out.at(-1)!.weeks += 1
    else out.push({ name, weeks: 1 })
  }
  return out
})
type Week = Schemas['BookWeek']
const THREADS: { key: string; title: string; of: (week: Week) => number | null; shown: (value: number) => string }[] = [
  { key: 'spread', title: 'Spread, %', of: (week) => week.spread_pct, shown: (value) => value.toFixed(2) },
  {
    key: 'clean',
    title: 'Clean rate, %',
    of: (week) => (week.clean_rate === null ? null : 100 * week.clean_rate),
    shown: (value) => value.toFixed(0),
  },
  {
    key: 'gap',
    title: 'Gap to target, %',
    of: (week) => week.gap_pct,
    shown: (value) => `${value < 0 ? '−' : '+'}${Math.abs(value).toFixed(2)}`,
  },
  { key: 'points', title: 'Points', of: (week) => week.points, shown: (value) => String(Math.round(10 * value) / 10) },
]
const COLUMN = 84
const HIGH = 40
const width = computed(() => COLUMN * (book.value?.weeks.length ?? 0))
/** A thread through the weeks that tell: where each point lies, and the line through them. */
const threads = computed(() =>
  THREADS.map((thread) => {
    const values = (book.value?.weeks ?? []).map(thread.of)
    const known = values.filter((value): value is number => value !== null)
    const low = Math.min(...known),
      high = Math.max(...known)
    const points = values.flatMap((value, index) =>
      value === null
        ? []
        : [
            {
              index,
              value,
              x: COLUMN * (index + 0.5),
              y: high > low ? HIGH - 6 - ((value - low) / (high - low)) * (HIGH - 12) : HIGH / 2,
            },
          ],
    )
    // A thread goes on within a series: another one has other tracks and cars.
    const series = (index: number) => book.value!.weeks[index]!.series
    const lines = [...new Set(points.map((point) => series(point.index)))].map((name) =>
      points
        .filter((point) => series(point.index) === name)
        .map((point) => `${point.x},${point.y}`)
        .join(' '),
    )
    return { ...thread, values, points, lines }
  }),
)
const most = computed(() => Math.max(1, ...mistakes.value.flatMap((item) => item.costs_us.map((cost) => cost ?? 0))))
const STATES = { open: 'open', closed: 'closed', returned: 'came again' } as const
const head = (week: Week) => (week.number === null ? 'any' : `${week.number}`)
</script>

<template>
  <TroubleNote :error="asked.error.value" :again="() => asked.refetch()" />
  <div class="top">
    <h1>{{ book ? `${book.driver}: the season` : 'The season' }}</h1>
    <LogLinks />
  </div>
  <SkeletonRows v-if="asked.isPending.value" :rows="10" label="Looking back at the season" />
  <section v-else-if="book && !book.weeks.length" class="sheet empty">
    <h2>No lap yet</h2>
    <p>Once laps are driven, each week stands here with its spread, its clean rate and the gap to its target.</p>
    <v-btn color="primary" to="/drive">To Drive</v-btn>
  </section>
  <template v-else-if="book">
    <p v-for="words in [...book.words, ...(found.data.value?.words ?? [])]" :key="words" class="sentence">
      {{ words }}
    </p>
    <p v-if="book.behind" class="quiet" role="status">
      Figures of {{ book.behind }} {{ book.behind === 1 ? 'week' : 'weeks' }} are being made anew.
    </p>
    <section class="sheet part" aria-labelledby="weeks-title">
      <h2 id="weeks-title">Week by week</h2>
      <PictureFrame :name="`season, ${book.driver}`"
        ><div class="scroll-x" tabindex="0" role="group" aria-label="Week by week">
          <table class="ledger weeks">
            <thead>
              <tr>
                <td />
                <th v-for="group in groups" :key="group.name" scope="colgroup" :colspan="group.weeks" class="group">
                  {{ group.name }}
                </th>
              </tr>
              <tr>
                <th scope="col">Week</th>
                <th v-for="(week, index) in book.weeks" :key="index" scope="col">
                  <RouterLink
                    :to="{
                      name: 'driver-pace',
                      params: { id: week.combination_id, driver: book.driver_id },
                      query: week.week_id ? { week: week.week_id } : {},
                    }"
                    >{{ head(week) }}<span class="visually-hidden">, {{ week.place }}</span></RouterLink
                  >
                </th>
              </tr>
            </thead>
            <tbody>
              <tr>
                <th scope="row">Where</th>
                <td
                  v-for="(week, index) in book.weeks"
                  :key="index"
                  class="where"
                  :title="`${week.place} · ${week.car}`"
                >
                  {{ week.place.split(', ').at(-1) }}
                </td>
              </tr>
              <tr v-for="thread in threads" :key="thread.key">
                <th scope="row">{{ thread.title }}</th>
                <td v-for="(value, index) in thread.values" :key="index" class="value" :class="{ first: index === 0 }">
                  <svg
                    v-if="index === 0 && thread.points.length > 1"
                    class="thread"
                    :width="width"
                    :height="HIGH"
                    aria-hidden="true"
                  >
                    <polyline v-for="line in thread.lines" :key="line" :points="line" />
                    <circle v-for="point in thread.points" :key="point.index" :cx="point.x" :cy="point.y" r="3" />
                  </svg>
                  <span class="text">{{ value === null ? '' : thread.shown(value) }}</span>
                </td>
              </tr>
              <tr v-for="item in mistakes" :key="item.kind">
                <th scope="row">
                  {{ item.title }} <span class="quiet">{{ STATES[item.state] }}</span>
                </th>
                <td v-for="(cost, index) in item.costs_us" :key="index" class="cell" :class="{ none: cost === null }">
                  <span
                    v-if="cost"
                    class="bar"
                    :style="{ width: `${Math.max(6, (100 * cost) / most)}%` }"
                    aria-hidden="true"
                  />{{ cost ? `${(cost / 1e6).toFixed(2)} s` : cost === 0 ? '·' : '' }}
                </td>
              </tr>
            </tbody>
          </table>
        </div></PictureFrame
      >
      <TroubleNote :error="found.error.value" :again="() => found.refetch()" />
      <SkeletonRows v-if="found.isPending.value" :rows="2" label="Looking for what recurs" />
      <p v-else class="quiet">
        Mistakes: what they cost a lap where they recur; a dot where they don’t, nothing where too little was driven to
        tell.
      </p>
    </section>
    <section v-if="book.lessons.length" class="sheet part" aria-labelledby="learned-title">
      <h2 id="learned-title">Learned</h2>
      <ul>
        <li v-for="item in book.lessons" :key="item.id">
          {{ item.text }} <span class="quiet">{{ ties(item) }}, {{ date(item.written_at) }}</span>
        </li>
      </ul>
    </section>
  </template>
</template>

<style scoped src="@/shared/theme/page.css"></style>
<style scoped>
.sentence {
  margin: 2px 0;
}
.weeks {
  width: auto;
}
.weeks th:not([scope='row']),
.weeks td {
  width: 84px;
  min-width: 84px;
  text-align: center;
}
.weeks th[scope='row'] {
  min-width: 190px;
  text-align: left;
}
.weeks th.group {
  text-align: left;
  border-left: 2px solid var(--quiet);
  padding-left: 6px;
}
.where {
  font-size: 0.82em;
  line-height: 1.2;
}
.value {
  position: relative;
  height: 62px;
  vertical-align: bottom;
  font-variant-numeric: tabular-nums;
}
.thread {
  position: absolute;
  top: 2px;
  left: 0;
  pointer-events: none;
}
.thread polyline {
  fill: none;
  stroke: var(--accent);
  stroke-width: 1.5;
}
.thread circle {
  fill: var(--accent);
}
.cell {
  position: relative;
  font-variant-numeric: tabular-nums;
}
.cell .bar {
  position: absolute;
  left: 0;
  bottom: 2px;
  height: 4px;
  background: var(--loss);
}
.none {
  background: repeating-linear-gradient(45deg, transparent 0 5px, var(--rule) 5px 6px);
}
</style>
