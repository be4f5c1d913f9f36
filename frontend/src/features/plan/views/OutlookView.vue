<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { RouterLink } from 'vue-router'
import { answer, api, type Schemas } from '@/shared/api/client'
import { date } from '@/shared/format'
import SkeletonRows from '@/shared/parts/SkeletonRows.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import { useMay } from '@/shared/session'

/** The weeks to come: what is known of them, hours needed against hours there, and when to begin. */
type Week = Schemas['OutlookWeek']
const may = useMay()
const all = computed(() => may('plan.make'))
const asked = useQuery({ queryKey: ['plan', 'outlook'], queryFn: () => answer(api.GET('/api/outlook')) })
const steps = computed(() => asked.data.value?.steps ?? [])
const drivers = computed(() => asked.data.value?.drivers ?? [])
/** The longest bar, in hours. */
const most = computed(() =>
  Math.max(1, ...drivers.value.flatMap((item) => item.weeks.flatMap((week) => [week.needed, week.there]))),
)
const width = (hours: number) => `${(100 * Math.min(hours, most.value)) / most.value}%`
const hours = (value: number) => `${value.toFixed(1)} h`
const state = (week: Week, place: number) =>
  !week.needed ? 'none' : week.short > week.needed / 2 ? 'short' : week.begin < place ? 'early' : 'fits'
</script>

<template>
  <div class="top">
    <h1>Outlook</h1>
    <p class="links">
      <RouterLink to="/plan">Plan</RouterLink> <RouterLink to="/readiness">Readiness</RouterLink>
      <RouterLink v-if="all" to="/plan/lineup">Who drives which race</RouterLink>
    </p>
  </div>
  <TroubleNote :error="asked.error.value" :again="() => asked.refetch()" />
  <SkeletonRows v-if="asked.isPending.value" :rows="9" label="Looking ahead" />
  <section v-else-if="!steps.some((step) => step.races.length)" class="sheet empty">
    <h2>No weeks to come</h2>
    <p>Weeks of a series come from its season file, or are written one by one.</p>
    <v-btn color="primary" to="/seasons">To the seasons</v-btn>
  </section>
  <section v-else class="sheet part">
    <div class="scroll-x" tabindex="0" role="group" aria-label="Weeks to come by drivers">
      <table>
        <thead>
          <tr>
            <th scope="col">Races</th>
            <th v-for="(step, index) in steps" :key="step.begins_at" scope="col">
              {{ index ? `from ${date(step.begins_at)}` : 'the week that runs' }}
            </th>
          </tr>
          <tr class="races">
            <td><span class="quiet">What is known, and what must be learned</span></td>
            <td v-for="step in steps" :key="step.begins_at">
              <div v-for="race in step.races" :key="race.week_id" class="race">
                <RouterLink :to="{ name: 'series-week', params: { id: race.week_id } }">{{
                  race.place || 'Track not known'
                }}</RouterLink>
                <span class="quiet">{{ race.series }} · {{ race.cars || 'car not known' }}</span>
                <span v-if="race.known.length" class="quiet">{{ race.known.join('; ') }}</span>
                <span v-if="race.missing.length" class="words">{{ race.missing.join('; ') }}</span>
              </div>
              <span v-if="!step.races.length" class="quiet">no other race</span>
            </td>
          </tr>
        </thead>
        <tbody>
          <tr v-for="item in drivers" :key="item.driver_id">
            <th scope="row">{{ item.driver }}</th>
            <td v-for="(week, place) in item.weeks" :key="place" :class="state(week, place)">
              <template v-if="week.needed">
                <span class="bars" aria-hidden="true"
                  ><span class="needed" :style="{ width: width(week.needed) }" /><span
                    class="there"
                    :style="{ width: width(week.there) }"
                /></span>
                <span class="line" :title="week.blocks.join(', ')"
                  >needs {{ hours(week.needed) }}, has {{ hours(week.there) }}</span
                >
                <span v-if="week.words !== 'fits'" class="words">{{ week.words }}</span>
              </template>
              <span v-else class="quiet">nothing needed</span>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
    <p class="quiet">
      Hours needed are those of the blocks that would help before a race, as far as one can tell before anything is
      driven for it. Hours there are free and waking ones, no more in a day than the day’s limit, and count once: what
      one week takes is gone for the others. Where nobody is entered yet, who drives in the series now is taken.
    </p>
  </section>
</template>

<style scoped src="@/shared/theme/page.css"></style>
<style scoped>
table {
  border-collapse: collapse;
  width: 100%;
  min-width: 860px;
  table-layout: fixed;
}
th,
td {
  text-align: left;
  vertical-align: top;
  padding: 4px 10px 5px 0;
  border-bottom: 1px solid var(--rule);
  font-size: 0.88rem;
}
thead th {
  font-size: 0.85rem;
}
.races td {
  border-bottom-color: var(--ink);
}
th:first-child,
td:first-child {
  width: 130px;
}
.race,
.race .quiet,
.line,
.words {
  display: block;
}
.race {
  margin-bottom: 6px;
}
.race .quiet,
.race .words {
  font-size: 0.8rem;
}
.words {
  color: var(--ochre);
}
.short .words {
  color: var(--loss);
}
.bars {
  display: grid;
  gap: 2px;
  margin: 3px 0;
}
.needed,
.there {
  display: block;
  height: 5px;
}
.needed {
  background: var(--ink);
}
.there {
  background: color-mix(in srgb, var(--accent) 45%, transparent);
}
</style>
