<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { RouterLink, useRoute } from 'vue-router'
import { answer, api } from '@/shared/api/client'
import { clock, count, date, lapTime, moment, plainDay, temperature, timeOfDay, zoneName } from '@/shared/format'
import WeekHead from '@/features/week/parts/WeekHead.vue'
import WeekDialog from '@/features/week/parts/WeekDialog.vue'
import LessonsBack from '@/features/log/parts/LessonsBack.vue'
import SkeletonRows from '@/shared/parts/SkeletonRows.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import { useMay } from '@/shared/session'
import { raceWords } from '@/shared/words'
import { useCombinations } from '@/shared/queries'

const props = defineProps<{ id: string }>()
const route = useRoute()
const may = useMay()
const changing = ref(false)
const week = useQuery({
  queryKey: ['series-week', () => props.id],
  queryFn: () => answer(api.GET('/api/weeks/{week_id}', { params: { path: { week_id: props.id } } })),
})
const known = useQuery({
  queryKey: ['knowledge', () => props.id],
  queryFn: () => answer(api.GET('/api/weeks/{week_id}/knowledge', { params: { path: { week_id: props.id } } })),
})
const combinations = useCombinations()
const facts = computed(() => week.data.value?.facts)
const place = computed(() => [facts.value?.track, facts.value?.layout].filter(Boolean).join(', '))
const own = computed(() =>
  (combinations.data.value?.items ?? []).filter(
    (item) => item.layout_id === week.data.value?.layout_id && facts.value?.cars?.includes(item.car),
  ),
)
const days = computed(() => {
  const out = new Map<string, string[]>()
  for (const start of week.data.value?.start_times ?? [])
    out.set(date(start), [...(out.get(date(start)) ?? []), clock(start)])
  return [...out]
})
const RELATIONS = {
  same: 'The same car on this layout, earlier',
  layout: 'This layout with another car',
  track: 'Another layout of this track',
  car: 'This car on another track',
} as const
const only = ref(typeof route.query.driver === 'string' ? route.query.driver : '')
const people = computed(() => {
  const out = new Map<string, string>()
  for (const item of known.data.value?.items ?? []) for (const row of item.laps) out.set(row.driver_id, row.driver)
  return [...out].sort((a, b) => a[1].localeCompare(b[1]))
})
const yes = (value: boolean | null | undefined) => (value === true ? 'yes' : value === false ? 'no' : null)
const rules = computed(() => {
  const f = facts.value
  if (!f) return []
  const number = (value: number | null | undefined, unit = '') =>
    value === null || value === undefined ? null : `${value}${unit}`
  const some = (value: number | null | undefined, unit: string) => (value ? number(value, unit) : null)
  return (
    [
      ['Race', raceWords(f)],
      ['Practice', some(f.practice_minutes, ' min')],
      [
        'Qualifying',
        [some(f.qualifying_minutes, ' min'), some(f.qualifying_laps, ' laps')].filter(Boolean).join(', ') || null,
      ],
      ['Start', f.start],
      ['Setup', f.setup],
      ['Cautions', yes(f.cautions)],
      ['Grid', number(f.grid)],
      ['Fuel use', number(f.fuel_rate, ' × normal')],
      ['Tyre wear', number(f.tyre_rate, ' × normal')],
      ['Compounds', f.compounds?.map((item) => `${item.name}${item.must ? ' (must be used)' : ''}`).join(', ') || null],
      ['Stops, at least', number(f.stops_min)],
      ['Damage', f.damage],
      ['Repairs', f.repairs],
      ['Boost', f.boost],
      ['Strikes allowed', number(f.strike_limit)],
      ['Incidents allowed', number(f.incident_limit)],
      ['Track limits', f.limits_rule],
      ['Inside the simulation', f.session_local ? `${plainDay(f.session_local)}, ${timeOfDay(f.session_local)}` : null],
      ['Weather', f.wetness],
      ['Air', f.air_temp_c === null || f.air_temp_c === undefined ? null : temperature(f.air_temp_c)],
      ['Track', f.track_temp_c === null || f.track_temp_c === undefined ? null : temperature(f.track_temp_c)],
    ] as [string, string | null | undefined][]
  ).filter((row) => row[1])
})
</script>

<template>
  <WeekHead :title="place || (facts ? 'Track not known yet' : 'Week')">
    <v-btn
      v-if="week.data.value && may('week.change')"
      class="act"
      size="small"
      color="primary"
      @click="changing = true"
      >Change</v-btn
    >
  </WeekHead>
  <SkeletonRows v-if="week.isPending.value" :rows="10" label="Loading the week" />
  <TroubleNote :error="week.error.value" :again="() => week.refetch()" />
  <template v-if="week.data.value && facts">
    <p class="quiet">
      <RouterLink :to="{ name: 'seasons', query: { series: week.data.value.series_id } }">{{
        facts.series
      }}</RouterLink>, week {{ facts.week }} · {{ plainDay(facts.begins) }} to {{ plainDay(facts.ends) }} ({{
        moment(week.data.value.begins_at)
      }}
      to {{ moment(week.data.value.ends_at) }} in {{ zoneName() }})
    </p>
    <ul v-if="week.data.value.warnings.length" class="warn">
      <li v-for="warning in week.data.value.warnings" :key="warning">{{ warning }}.</li>
    </ul>
    <LessonsBack :week="week.data.value.id" />
    <div class="columns">
      <section class="sheet part" aria-labelledby="rules-title">
        <h2 id="rules-title">What is driven</h2>
        <p>
          <template v-for="(car, index) in week.data.value.cars" :key="car.id"
            ><template v-if="index"> or </template
            ><RouterLink :to="{ name: 'car', params: { id: car.id } }">{{ car.name }}</RouterLink></template
          >
          <span v-if="!week.data.value.cars.length" class="quiet">No car yet.</span>
        </p>
        <p v-if="week.data.value.layout_id">
          <RouterLink
            :to="{
              name: 'track',
              params: { id: week.data.value.layout_id },
              query: { car: week.data.value.cars[0]?.id },
            }"
            >Track book</RouterLink
          >,
          <RouterLink
            :to="{
              name: 'card',
              params: { id: week.data.value.layout_id },
              query: { car: week.data.value.cars[0]?.id },
            }"
            >reading card</RouterLink
          >
        </p>
        <p v-for="item in own" :key="item.id">
          <RouterLink :to="{ name: 'combination', params: { id: item.id } }"
            >{{ item.car }} here: {{ count(item.laps, 'lap') }}</RouterLink
          >
        </p>
        <dl>
          <template v-for="[name, value] in rules" :key="name"
            ><dt>{{ name }}</dt>
            <dd>{{ value }}</dd></template
          >
        </dl>
        <template v-if="facts.changeable?.length">
          <h3>May be changed in the car</h3>
          <ul>
            <li v-for="item in facts.changeable" :key="item.name">
              {{ item.name
              }}<template v-if="item.default !== null && item.default !== undefined"
                >: {{ item.default }} {{ item.unit }}</template
              ><span v-if="item.low !== null && item.low !== undefined" class="quiet">
                ({{ item.low }} to {{ item.high }}<template v-if="item.step"> by {{ item.step }}</template
                >)</span
              >
            </li>
          </ul>
        </template>
        <p v-if="facts.note" class="note-text">{{ facts.note }}</p>
      </section>
      <section class="sheet part" aria-labelledby="starts-title">
        <h2 id="starts-title">
          Starts
          <small class="quiet">{{ count(week.data.value.start_times.length, 'race') }}, in {{ zoneName() }}</small>
        </h2>
        <p v-if="facts.starts" class="quiet">As written: {{ facts.starts }}</p>
        <p v-else class="quiet">No start times yet.</p>
        <dl class="starts">
          <template v-for="[day, times] in days" :key="day"
            ><dt>{{ day }}</dt>
            <dd class="time">{{ times.join('  ') }}</dd></template
          >
        </dl>
      </section>
      <section id="known" class="sheet part wide" aria-labelledby="known-title">
        <h2 id="known-title">What do we know?</h2>
        <p class="quiet note">
          From earlier times and other series. None of it is in this week's figures<template v-if="known.data.value"
            >, which begin on {{ moment(known.data.value.since) }}</template
          >.
        </p>
        <SkeletonRows v-if="known.isPending.value" :rows="6" label="Looking for earlier laps" />
        <TroubleNote :error="known.error.value" :again="() => known.refetch()" />
        <label v-if="people.length > 1"
          >Driver
          <select v-model="only">
            <option value="">all</option>
            <option v-for="[driver, name] in people" :key="driver" :value="driver">{{ name }}</option>
          </select></label
        >
        <p v-if="known.data.value && !known.data.value.items.length">
          Nothing yet: nobody has laps on this track or in this car.
        </p>
        <div v-for="item in known.data.value?.items" :key="item.combination_id" class="earlier">
          <h3>
            {{ RELATIONS[item.relation] }}:
            <RouterLink :to="{ name: 'combination', params: { id: item.combination_id } }"
              >{{ item.track }}, {{ item.layout }} · {{ item.car }}</RouterLink
            >
          </h3>
          <p v-if="item.weeks.length" class="quiet">{{ item.weeks.join('; ') }}</p>
          <p v-for="note in item.notes" :key="note" class="note-text">“{{ note }}”</p>
          <div
            v-if="item.laps.some((row) => !only || row.driver_id === only)"
            class="scroll-x"
            tabindex="0"
            role="region"
            :aria-label="`Earlier laps, ${item.track}, ${item.layout}, ${item.car}`"
          >
            <table class="ledger">
              <thead>
                <tr>
                  <th scope="col">Driver</th>
                  <th scope="col" class="number">Laps</th>
                  <th scope="col" class="number">Runs</th>
                  <th scope="col" class="number">Best lap</th>
                  <th scope="col">Conditions</th>
                  <th scope="col">When</th>
                </tr>
              </thead>
              <tbody>
                <tr
                  v-for="row in item.laps.filter((one) => !only || one.driver_id === only)"
                  :key="row.driver_id + row.wetness"
                >
                  <td>{{ row.driver }}</td>
                  <td class="number">{{ row.laps }}</td>
                  <td class="number">{{ row.runs }}</td>
                  <td class="number">{{ lapTime(row.best_us) }}</td>
                  <td>
                    {{ row.wetness
                    }}<template v-if="row.track_temp_c !== null">, {{ temperature(row.track_temp_c) }}</template>
                    <span class="quiet">{{ row.like ? 'like the race' : 'not like the race' }}</span>
                  </td>
                  <td>
                    {{ row.first_at ? date(row.first_at) : ''
                    }}<template v-if="row.last_at"> to {{ date(row.last_at) }}</template>
                  </td>
                </tr>
              </tbody>
            </table>
          </div>
        </div>
      </section>
    </div>
    <WeekDialog
      v-if="changing"
      :series-id="week.data.value.series_id"
      :series="facts.series"
      :week="week.data.value"
      @close="changing = false"
    />
  </template>
</template>

<style scoped>
.act {
  margin-left: auto;
}
.columns {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(min(100%, 420px), 1fr));
  gap: 12px;
  margin-top: 8px;
  align-items: start;
}
.wide {
  grid-column: 1 / -1;
}
dl {
  display: grid;
  grid-template-columns: max-content 1fr;
  gap: 1px 14px;
  margin-top: 6px;
}
dt {
  color: var(--quiet);
}
.starts dd {
  white-space: pre-wrap;
}
h3 {
  font-size: 0.98rem;
  margin-top: 10px;
}
.warn {
  color: var(--ochre);
  padding-left: 18px;
}
.note-text {
  white-space: pre-wrap;
  margin-top: 4px;
}
small {
  font-weight: 400;
  font-family: var(--sans);
  font-size: 0.85rem;
}
</style>
