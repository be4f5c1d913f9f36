<script setup lang="ts">
import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, reactive, ref } from 'vue'
import { RouterLink, useRoute } from 'vue-router'
import { answer, api, version, type Schemas } from '@/shared/api/client'
import SkeletonRows from '@/shared/parts/SkeletonRows.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import WorkButton from '@/shared/parts/WorkButton.vue'

/** Who drives which race: a proposal with its reasons, and standings under the rule that so many weeks count. People decide. */
type Cell = Schemas['LineupCell']
type Week = Schemas['StandingWeek']
const route = useRoute()
const queries = useQueryClient()
const day = computed(() => (typeof route.query.day === 'string' ? route.query.day : undefined))
const wish = reactive({ most_each: 2, whole_season: false, places: {} as Record<string, number> })
const body = computed(() => ({
  day: day.value ?? null,
  most_each: wish.most_each,
  whole_season: wish.whole_season,
  places: Object.fromEntries(Object.entries(wish.places).filter(([, count]) => count > 0)),
}))
const asked = useQuery({
  queryKey: ['plan', 'lineup', body],
  placeholderData: keepPreviousData,
  queryFn: () => answer(api.POST('/api/lineup', { body: body.value })),
})
const told = computed(() => asked.data.value)
const series = computed(() => [
  ...new Map((told.value?.races ?? []).map((race) => [race.series_id, race.series])).entries(),
])
const cellOf = (row: Schemas['LineupRow'], week: string) => row.cells.find((cell) => cell.week_id === week)
const NOT = {
  time: 'no start fits',
  car: 'may not drive it',
  full: 'week is full',
  others: 'others bring more',
} as const
const sign = (cell: Cell) =>
  cell.chosen
    ? cell.entered
      ? 'drives'
      : 'should drive'
    : [cell.entered ? 'entered' : '', NOT[cell.why_not ?? 'others']].filter(Boolean).join(', ')
const opened = ref('')
const shown = computed(() => {
  const [driver, week] = opened.value.split(' ')
  const row = told.value?.rows.find((item) => item.driver_id === driver)
  const race = told.value?.races.find((item) => item.week_id === week)
  const cell = row && week ? cellOf(row, week) : undefined
  return row && race && cell ? { row, race, cell } : undefined
})
const missing = computed(() =>
  (told.value?.rows ?? []).flatMap((row) =>
    row.cells
      .filter((cell) => cell.chosen && !cell.entered && first.value.has(cell.week_id))
      .map((cell) => ({ driver: row.driver_id, week: cell.week_id })),
  ),
)
const first = computed(
  () => new Set((told.value?.races ?? []).filter((race) => race.step === 0).map((race) => race.week_id)),
)
const settled = () =>
  Promise.all(['plan', 'board', 'steps', 'history'].map((key) => queries.invalidateQueries({ queryKey: [key] })))
const enter = useMutation({
  mutationFn: async () => {
    const byWeek = new Map<string, string[]>()
    for (const item of missing.value) byWeek.set(item.week, [...(byWeek.get(item.week) ?? []), item.driver])
    for (const [week, drivers] of byWeek)
      await answer(api.POST('/api/entries', { body: { week_ids: [week], driver_ids: drivers, importance: 'want' } }))
  },
  onSettled: settled,
})
const score = useMutation({
  mutationFn: ({ week, points }: { week: Week; points: number | null }) =>
    answer(
      api.PUT('/api/entries/{entered_id}', {
        params: { path: { entered_id: week.entry_id }, header: version(week.version) },
        body: { points } as never,
      }),
    ),
  onSettled: settled,
})
const count = useMutation({
  mutationFn: ({
    item,
    best,
    rule,
  }: {
    item: Schemas['SeriesStanding']
    best: number | null
    rule?: Schemas['SeriesStanding']['starts_count']
  }) =>
    answer(
      api.PUT('/api/series/{series_id}/counting', {
        params: { path: { series_id: item.series_id }, header: version(item.version) },
        body: { best_weeks: best, starts_count: rule ?? item.starts_count },
      }),
    ),
  onSettled: settled,
})
const ruleOf = (event: Event) => (event.target as HTMLSelectElement).value as Schemas['SeriesStanding']['starts_count']
/** What a field holds; nothing is sent while it holds something that is no number, and the field says so. */
function withNumber(event: Event, send: (number: number | null) => void) {
  const field = event.target as HTMLInputElement
  if (field.reportValidity()) send(field.value.trim() === '' ? null : Number(field.value))
}
</script>

<template>
  <div class="top">
    <h1>Who drives which race</h1>
    <p class="links">
      <RouterLink to="/outlook">Outlook</RouterLink> <RouterLink to="/plan">Plan</RouterLink>
      <RouterLink to="/">Board</RouterLink>
    </p>
  </div>
  <div class="wishes">
    <label
      >Races a driver and week <input v-model.number="wish.most_each" class="field" type="number" min="1" max="10"
    /></label>
    <label v-for="[id, name] in series" :key="id"
      >{{ name }}: places
      <input v-model.number="wish.places[id]" class="field" type="number" min="0" max="99" placeholder="all"
    /></label>
    <label><input v-model="wish.whole_season" type="checkbox" /> the rest of the season too</label>
  </div>
  <TroubleNote
    :error="asked.error.value ?? enter.error.value ?? score.error.value ?? count.error.value"
    :again="asked.error.value ? () => asked.refetch() : undefined"
  />
  <SkeletonRows v-if="asked.isPending.value" :rows="9" label="Weighing who brings what" />
  <section v-else-if="told && !told.races.length" class="sheet empty">
    <h2>No race to come</h2>
    <p>Weeks of a series come from its season file.</p>
    <v-btn color="primary" to="/seasons">To the seasons</v-btn>
  </section>
  <template v-else-if="told">
    <section class="sheet part" aria-labelledby="proposal-title">
      <div class="row">
        <h2 id="proposal-title">Proposal</h2>
        <WorkButton
          v-if="missing.length"
          size="small"
          color="primary"
          :loading="enter.isPending.value"
          @click="enter.mutate()"
          >{{
            missing.length === 1
              ? 'Enter who should drive and isn’t'
              : `Enter the ${missing.length} who should drive and aren’t`
          }}</WorkButton
        >
      </div>
      <p class="quiet">
        {{ told.points.toFixed(0) }} points in the end, counted ones of earlier weeks included<template
          v-if="!told.proven"
          >; the best that was found in time</template
        >. {{ told.rule }}
      </p>
      <div class="scroll-x" tabindex="0" role="group" aria-label="Drivers by races">
        <table>
          <thead>
            <tr>
              <th scope="col">Driver</th>
              <th v-for="race in told.races" :key="race.week_id" scope="col" :class="{ near: !race.step }">
                {{ race.step ? race.place.split(', ').at(-1) || 'Track not known' : race.place || 'Track not known'
                }}<span class="quiet"
                  ><template v-if="race.step"
                    ><span class="visually-hidden">{{ race.series }}, </span>in {{ race.step }}
                    {{ race.step === 1 ? 'week' : 'weeks' }}</template
                  ><template v-else>{{ race.series }}</template></span
                >
              </th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="row in told.rows" :key="row.driver_id">
              <th scope="row">{{ row.driver }}</th>
              <td v-for="race in told.races" :key="race.week_id">
                <button
                  v-if="cellOf(row, race.week_id)"
                  type="button"
                  class="cell"
                  :class="{
                    chosen: cellOf(row, race.week_id)!.chosen,
                    here: opened === `${row.driver_id} ${race.week_id}`,
                  }"
                  :aria-pressed="opened === `${row.driver_id} ${race.week_id}`"
                  @click="
                    opened = opened === `${row.driver_id} ${race.week_id}` ? '' : `${row.driver_id} ${race.week_id}`
                  "
                >
                  <span class="visually-hidden">{{ row.driver }}, {{ race.place }}: </span
                  ><b v-if="cellOf(row, race.week_id)!.points !== null">{{
                    cellOf(row, race.week_id)!.points!.toFixed(0)
                  }}</b
                  ><b v-else>–</b>
                  <span :class="race.step ? 'visually-hidden' : 'quiet'">{{ sign(cellOf(row, race.week_id)!) }}</span>
                </button>
              </td>
            </tr>
          </tbody>
        </table>
      </div>
      <div v-if="shown" class="why" role="status">
        <p>
          <b>{{ shown.row.driver }}, {{ shown.race.place }}</b
          >: {{ shown.cell.words }}
        </p>
        <p class="quiet">{{ shown.cell.because }}</p>
      </div>
      <p v-else class="quiet">Points that a start is likely to bring; choose one to see on what it stands.</p>
    </section>
    <section class="sheet part" aria-labelledby="standings-title">
      <h2 id="standings-title">Standings</h2>
      <p class="quiet">Points of earlier weeks, as somebody enters them; those that don’t count are struck through.</p>
      <div class="standings">
        <div v-for="item in told.standings" :key="item.series_id" class="standing">
          <h3>
            {{ item.series }}
            <label class="small"
              >the best
              <input
                class="field"
                type="number"
                min="1"
                max="100"
                placeholder="all"
                :value="item.best_weeks"
                :aria-label="`${item.series}: weeks that count`"
                @change="withNumber($event, (best) => count.mutate({ item, best }))"
              />
              weeks count,</label
            >
            <label class="small"
              >of several starts
              <select
                :value="item.starts_count"
                :aria-label="`${item.series}: of several starts`"
                @change="count.mutate({ item, best: item.best_weeks, rule: ruleOf($event) })"
              >
                <option value="best">the best</option>
                <option value="sum">all together</option>
                <option value="mean">their mean</option>
              </select></label
            >
          </h3>
          <p v-if="!item.drivers.length" class="quiet">No points yet. They are entered with the entry, on the board.</p>
          <ol v-else>
            <li v-for="driver in item.drivers" :key="driver.driver_id">
              <span class="name">{{ driver.driver }}</span> <b class="total">{{ driver.total }}</b>
              <label v-for="week in driver.weeks" :key="week.entry_id" class="small" :class="{ dropped: week.dropped }"
                >week {{ week.number }}
                <input
                  class="field"
                  type="number"
                  min="0"
                  step="any"
                  :value="week.points"
                  :aria-label="`${driver.driver}, week ${week.number}: points`"
                  @change="withNumber($event, (points) => score.mutate({ week, points }))"
              /></label>
            </li>
          </ol>
        </div>
      </div>
    </section>
  </template>
</template>

<style scoped src="@/shared/theme/page.css"></style>
<style scoped>
.wishes,
.row {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 18px;
  align-items: center;
}
.wishes {
  margin-bottom: 10px;
}
input[type='number'] {
  width: 72px;
}
table {
  border-collapse: collapse;
  min-width: 700px;
}
th,
td {
  text-align: left;
  vertical-align: top;
  padding: 2px 10px 2px 0;
  border-bottom: 1px solid var(--rule);
}
thead .quiet {
  display: block;
  font-weight: 400;
  font-size: 0.82rem;
}
.near {
  min-width: 160px;
}
.cell {
  font: inherit;
  text-align: left;
  background: none;
  border: 1px solid transparent;
  border-radius: 3px;
  padding: 1px 6px;
  color: inherit;
  cursor: pointer;
  width: 100%;
}
.cell.chosen {
  border-color: var(--accent);
  background: color-mix(in srgb, var(--accent) 10%, transparent);
}
.cell.here {
  outline: 2px solid var(--ink);
}
.cell .quiet {
  font-size: 0.82rem;
}
.why {
  margin-top: 8px;
}
.standings {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(min(100%, 440px), 1fr));
  gap: 6px 24px;
}
.standing h3 {
  font-size: 1rem;
  margin: 8px 0 2px;
}
.standing input {
  width: 56px;
}
.standing li {
  margin-bottom: 3px;
}
.name {
  display: inline-block;
  min-width: 122px;
}
.total {
  display: inline-block;
  min-width: 44px;
}
.small {
  font-weight: 400;
  font-size: 0.85rem;
  margin-right: 10px;
}
.dropped {
  text-decoration: line-through;
}
</style>
