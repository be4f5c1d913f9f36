<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { RouterLink } from 'vue-router'
import { answer, api } from '@/shared/api/client'
import { seconds } from '@/features/fix/clinic'
import { fuel, lapTime, moment, perCent } from '@/shared/format'
import { inUnit, units } from '@/shared/units'
import LessonsBack from '@/features/log/parts/LessonsBack.vue'
import KnownForm from '@/features/race/parts/KnownForm.vue'
import StopsPart from '@/features/race/parts/StopsPart.vue'
import PressurePart from '@/features/race/parts/PressurePart.vue'
import SkeletonRows from '@/shared/parts/SkeletonRows.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'

/** The race ahead in figures: qualifying, distance and consumption, tyres and stops, limits, the race from own laps; and what only people know of it. */
const props = defineProps<{ id: string }>()
const asked = useQuery({
  queryKey: ['races', () => props.id],
  queryFn: () => answer(api.GET('/api/races/{entered_id}', { params: { path: { entered_id: props.id } } })),
})
const race = computed(() => asked.data.value)
const USED: Record<string, string> = { fuel_l: 'l', energy_kwh: 'kWh' }
/** Fuel or energy, whichever the car drives on. */
const load = (value: number, decimals: number) =>
  race.value?.consumption?.unit === 'l' ? fuel(value, decimals) : `${value.toFixed(decimals)} kWh`
const LEARNED: Record<string, string> = {
  qualifying_us: 'qualifying',
  race_lap_us: 'laps of the race',
  fuel_l: 'fuel',
  energy_kwh: 'energy',
}
const budgets = computed(() =>
  [
    { what: 'strikes', budget: race.value?.limits },
    { what: 'incidents', budget: race.value?.incidents },
  ].flatMap((item) => (item.budget ? [{ what: item.what, budget: item.budget }] : [])),
)
/** What earlier races taught, in a few words each. */
const learned = computed(() =>
  Object.entries(race.value?.taught ?? {}).flatMap(([name, told]) =>
    LEARNED[name] && Math.abs(told.shift) >= 0.0005 && (!(name in USED) || USED[name] === race.value?.consumption?.unit)
      ? [`${LEARNED[name]} ${Math.abs(100 * told.shift).toFixed(2)} % ${told.shift > 0 ? 'more' : 'less'}`]
      : [],
  ),
)
</script>

<template>
  <TroubleNote :error="asked.error.value" :again="() => asked.refetch()" />
  <SkeletonRows v-if="asked.isPending.value" :rows="10" label="Looking at the race" />
  <template v-if="race">
    <div class="top">
      <h1>{{ race.driver }}: {{ race.place || race.series }}</h1>
      <p class="links">
        <RouterLink :to="{ name: 'race-sheet', params: { id } }">Race sheet</RouterLink>
        <RouterLink to="/races">All races</RouterLink>
        <RouterLink v-if="race.layout_id" :to="{ name: 'track', params: { id: race.layout_id } }"
          >Track book</RouterLink
        >
      </p>
    </div>
    <p class="quiet">
      {{ race.series }}<template v-if="race.car"> · {{ race.car }}</template> ·
      {{ race.race_at ? moment(race.race_at) : 'no start chosen' }}
    </p>
    <div class="columns">
      <StopsPart :race="race" />
      <section class="sheet part" aria-labelledby="quali-title">
        <h2 id="quali-title">Qualifying</h2>
        <template v-if="race.qualifying">
          <p>
            <b>{{ race.qualifying.laps }}</b> {{ race.qualifying.laps === 1 ? 'lap' : 'laps' }} fit: out lap, then the
            safe one ({{ lapTime(race.qualifying.safe_us) }}), then risk.
          </p>
          <p>
            The best of them is likely <b>{{ lapTime(race.qualifying.likely_us) }}</b>
            <span class="quiet"
              >({{ lapTime(race.qualifying.low_us) }} to {{ lapTime(race.qualifying.high_us) }} in eight of ten)</span
            >.
          </p>
          <p v-if="race.qualifying.odds !== null">
            The target {{ lapTime(race.target_us) }} comes in <b>{{ perCent(race.qualifying.odds) }}</b> of such
            sessions<template v-if="race.qualifying.laps > 1"
              >, {{ perCent(race.qualifying.odds_first ?? 0) }} with the first lap alone</template
            >.
          </p>
        </template>
        <p v-else class="quiet">Nothing tells yet.</p>
        <p v-if="race.qualifying && race.qualifying.tow_us !== null">
          A tow is worth {{ seconds(race.qualifying.tow_us) }} a lap<template v-if="race.qualifying.odds_tow !== null"
            >; with one, the target comes in <b>{{ perCent(race.qualifying.odds_tow) }}</b></template
          >.
        </p>
        <p v-for="item in race.options.filter((one) => one.qualifying)" :key="item.where">
          After the safe lap, {{ item.where === 'lap' ? 'all lap' : item.where }}: {{ item.qualifying }}
        </p>
        <h2>Distance and consumption</h2>
        <p v-if="race.distance">
          <b>{{ race.distance.laps }}</b> laps<template v-if="race.distance.close">; one more or less is close</template
          >.
        </p>
        <p v-if="race.consumption?.filled_at_stops">
          Start with a full tank, <b>{{ fuel(race.consumption.tank ?? 0, 0) }}</b>, filled at
          {{ race.consumption.filled_at_stops === 1 ? 'the stop' : `the ${race.consumption.filled_at_stops} stops` }}:
          {{ fuel(race.consumption.start) }} in all, {{ fuel(race.consumption.per_lap, 2) }} a lap
          <span class="quiet">({{ race.consumption.laps }} laps of {{ race.consumption.runs }} runs)</span>.<template
            v-if="race.consumption.unit_us"
          >
            {{ race.consumption.unit === 'l' && units.volume === 'gal' ? 'A gallon' : 'A litre' }} more costs
            {{ seconds(race.consumption.unit_us / inUnit('volume', 1), 3) }} a lap.</template
          >
        </p>
        <p v-else-if="race.consumption">
          Start with <b>{{ load(race.consumption.start, 1) }}</b>: {{ load(race.consumption.per_lap, 2) }} a lap,
          <template v-if="race.consumption.margin >= 0.05"
            >{{ load(race.consumption.margin, 1) }} of it so that it runs out in
            {{ (100 * race.wish.risk).toFixed(0) }} of 100 races</template
          ><template v-else>laps hardly differ in it</template>
          <span class="quiet">({{ race.consumption.laps }} laps of {{ race.consumption.runs }} runs)</span>.<template
            v-if="race.consumption.unit_us"
          >
            {{ race.consumption.unit === 'l' && units.volume === 'gal' ? 'A gallon' : 'A litre' }} more costs
            {{ seconds(race.consumption.unit_us / inUnit('volume', 1), 3) }} a lap.</template
          ><template v-if="race.consumption.saving_needed">
            The {{ race.consumption.unit === 'l' ? 'tank' : 'battery' }} holds
            {{ load(race.consumption.tank ?? 0, 0) }}: save {{ perCent(race.consumption.saving_needed) }} a lap<template
              v-if="race.consumption.unit === 'l'"
              >, or stop</template
            >.</template
          >
        </p>
        <h2>The race from own laps</h2>
        <p v-if="race.own_race">
          <b>{{ lapTime(race.own_race.median_us) }}</b>
          <span class="quiet"
            >({{ lapTime(race.own_race.low_us) }} to {{ lapTime(race.own_race.high_us) }} in nine of ten)</span
          >, {{ race.own_race.slips.toFixed(1) }} slips on average; one less is worth
          {{ seconds(race.own_race.one_less_us)
          }}<template v-if="race.own_race.place !== null && race.own_race.place_one_less !== null"
            >, and {{ (race.own_race.place - race.own_race.place_one_less).toFixed(1) }} places:
            {{ race.own_race.place.toFixed(1) }} is likely among the {{ race.wish.rivals_us.length }} who are
            known</template
          >.
        </p>
        <p v-else class="quiet">Nothing tells yet.</p>
        <p v-if="learned.length" class="quiet">
          Taken into account from <RouterLink to="/log">races behind</RouterLink>: {{ learned.join(', ') }} than
          practice tells.
        </p>
        <h2 v-if="budgets.length">Limits</h2>
        <template v-for="{ what, budget } in budgets" :key="what">
          <p>
            {{ budget.limit }} {{ what }} are the limit: reached in <b>{{ perCent(budget.chance) }}</b> of such races.
          </p>
          <ul v-if="budget.corners.length">
            <li v-for="item in budget.corners" :key="item.corner">
              {{ item.corner }}: {{ item.expected.toFixed(1) }} a race; half as many, and it is
              {{ perCent(item.halved) }}
            </li>
          </ul>
        </template>
      </section>
    </div>
    <section v-if="race.missing.length" class="sheet part missing" aria-labelledby="missing-title">
      <h2 id="missing-title">Missing</h2>
      <ul>
        <li v-for="words in race.missing" :key="words">{{ words }}</li>
      </ul>
    </section>
    <LessonsBack :week="race.week_id" />
    <KnownForm :id="id" :race="race" />
    <PressurePart :readings="race.hot_readings" />
  </template>
</template>

<style scoped src="@/shared/theme/page.css"></style>
<style scoped src="@/features/race/race.css"></style>
