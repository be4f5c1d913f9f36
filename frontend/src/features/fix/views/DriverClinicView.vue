<script setup lang="ts">
import { useMutation, useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { RouterLink, useRoute } from 'vue-router'
import { answer, api } from '@/shared/api/client'
import CostMap from '@/shared/charts/CostMap.vue'
import PictureFrame from '@/shared/charts/PictureFrame.vue'
import { seconds, useClinicSettled, useDriverClinic, useLibrary, type Mistake } from '@/features/fix/clinic'
import { perCent } from '@/shared/format'
import AccountPart from '@/features/find/parts/AccountPart.vue'
import AlsoNote from '@/features/find/parts/AlsoNote.vue'
import OptionsPart from '@/features/find/parts/OptionsPart.vue'
import AssignPart from '@/features/fix/parts/AssignPart.vue'
import TrendDots from '@/features/fix/parts/TrendDots.vue'
import SkeletonRows from '@/shared/parts/SkeletonRows.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import { useMay } from '@/shared/session'

/** One driver's corners: the week's three on top, then everything that was found, with how sure it is. */
const props = defineProps<{ id: string; driver: string }>()
const route = useRoute()
const { words } = useLibrary()
const settled = useClinicSettled()
const may = useMay()
const { combination, week, also, enabled, where, clinic, card } = useDriverClinic(
  () => props.id,
  () => props.driver,
)
const work = useQuery({
  queryKey: ['assignments', () => props.id],
  queryFn: () =>
    answer(
      api.GET('/api/combinations/{combination_id}/assignments', { params: { path: { combination_id: props.id } } }),
    ),
})
const audit = useQuery({
  enabled,
  queryKey: ['clinic', () => props.id, () => props.driver, 'audit', week, also],
  queryFn: () => answer(api.GET('/api/combinations/{combination_id}/drivers/{driver_id}/audit', { params: where() })),
})
const pace = useQuery({
  enabled,
  queryKey: ['driver-laps', () => props.id, () => props.driver, 'pace', week, also],
  queryFn: () => answer(api.GET('/api/combinations/{combination_id}/drivers/{driver_id}/pace', { params: where() })),
})
const gain = (item: { corner: string; kind: string }) =>
  card.data.value?.items.find((other) => other.corner === item.corner && other.kind === item.kind)?.gain_words
const tried = computed(() => pace.data.value?.options ?? [])
const changed = computed(() => pace.data.value?.setup_changes ?? [])
const cornerNames = computed(() => Object.fromEntries((shown.value?.parts ?? []).map((part) => [part.code, part.name])))
const end = useMutation({
  mutationFn: (assignment: string) =>
    answer(api.DELETE('/api/assignments/{assignment_id}', { params: { path: { assignment_id: assignment } } })),
  onSettled: settled,
})
const layout = computed(() => combination.data.value?.layout_id)
const outline = useQuery({
  queryKey: ['layouts', 'outline', layout],
  enabled: () => Boolean(layout.value),
  queryFn: () =>
    answer(api.GET('/api/layouts/{layout_id}/outline', { params: { path: { layout_id: layout.value! } } })),
})
const shown = computed(() => (clinic.data.value?.id === props.driver ? clinic.data.value : undefined))
const length = computed(() => shown.value?.parts.at(-1)?.end_m ?? 1)
const parts = computed(() =>
  (shown.value?.parts ?? []).map((part) => ({
    ...part,
    words: `${seconds(part.cost_us)} a lap, ${part.slips} slips on ${part.passes} passes`,
  })),
)
const recurring = computed(() => (shown.value?.mistakes ?? []).filter((item) => item.recurring))
const rest = computed(() => (shown.value?.mistakes ?? []).filter((item) => !item.recurring))
const mine = computed(() => (work.data.value?.items ?? []).filter((item) => item.driver_id === props.driver))
const given = (corner: string, kind: string) =>
  mine.value.find((item) => !item.ended_at && item.corner === corner && item.kind === kind)
const place = (item: { corner: string; kind: string }) => ({
  name: 'mistake',
  params: { id: props.id, driver: props.driver, corner: item.corner, kind: item.kind },
  query: route.query,
})
const found = (item: { corner: string; kind: string }): Mistake | undefined =>
  shown.value?.mistakes.find((other) => other.corner === item.corner && other.kind === item.kind)
const doubted = computed(() =>
  (audit.data.value?.items ?? []).filter((item) => item.unused || (item.before_m !== null && item.after_m !== null)),
)
function jump(code: string) {
  const target = document.getElementById(`at-${code}`)
  target?.scrollIntoView({ block: 'center' })
  target?.focus()
}
</script>

<template>
  <div class="top">
    <div>
      <h1>{{ shown?.name ?? 'Corner clinic' }}</h1>
      <p v-if="combination.data.value" class="quiet">
        <RouterLink :to="{ name: 'clinic', params: { id }, query: route.query }"
          >{{ combination.data.value.track }}, {{ combination.data.value.layout }},
          {{ combination.data.value.car }}</RouterLink
        ><AlsoNote />
      </p>
    </div>
    <p class="links">
      <RouterLink :to="{ name: 'card-of-three', params: { id, driver }, query: route.query }">Card of three</RouterLink>
      <RouterLink :to="{ name: 'driver-pace', params: { id, driver }, query: route.query }"
        >Pace and consistency</RouterLink
      >
      <RouterLink :to="{ name: 'accounts', params: { id, driver }, query: route.query }"
        >Where every thousandth went</RouterLink
      >
    </p>
  </div>
  <TroubleNote
    :error="clinic.error.value ?? combination.error.value ?? end.error.value"
    :again="() => clinic.refetch()"
  />
  <SkeletonRows v-if="clinic.isPending.value" :rows="10" label="Looking the corners through" />
  <template v-if="shown">
    <p v-if="shown.missing" class="note">{{ shown.missing }}</p>
    <div class="beside">
      <section class="sheet part" aria-labelledby="three">
        <h2 id="three">The week’s three</h2>
        <ol v-if="shown.three.length" class="three">
          <li v-for="item in shown.three" :key="item.corner + item.kind">
            <p class="words">{{ item.words }}</p>
            <p class="quiet">
              <template v-if="found(item)">{{ found(item)!.evidence }} {{ found(item)!.trend.words }}</template
              ><template v-else
                >On every lap: no single pass stands out, only somebody else’s good pass shows it.</template
              >
            </p>
            <p v-if="gain(item)" class="quiet">{{ gain(item) }}</p>
            <p class="row">
              <RouterLink v-if="item.what === 'mistake'" :to="place(item)"
                >Its passes<span class="visually-hidden">: {{ item.corner }}, {{ words[item.kind] }}</span></RouterLink
              >
              <template v-if="given(item.corner, item.kind)"
                ><span class="given"
                  >{{ given(item.corner, item.kind)!.title }}: {{ given(item.corner, item.kind)!.words }}</span
                >
                <RouterLink
                  :to="{ name: 'declare', params: { id }, query: { driver, purpose: 'corner', watch: item.corner } }"
                  >Declare the run<span class="visually-hidden"> for {{ item.corner }}</span></RouterLink
                ></template
              >
              <AssignPart
                v-else-if="may('exercise.assign')"
                :id="id"
                :driver="driver"
                :corner="item.corner"
                :kind="item.kind"
              />
            </p>
          </li>
        </ol>
        <p v-else>
          Nothing recurs, and nothing is lost on every lap.
          {{ shown.flying < 20 ? 'Twenty laps and more tell mistakes from chance.' : '' }}
        </p>
      </section>
      <section class="sheet part" aria-labelledby="map">
        <h2 id="map">Where it costs</h2>
        <PictureFrame v-if="parts.length" :name="`where it costs, ${shown.name}`"
          ><CostMap
            :outline="outline.data.value ?? null"
            :length="length"
            :parts="parts"
            label="Seconds a lap by corner"
            @pick="jump"
        /></PictureFrame>
        <p class="quiet">Seconds a lap, of recurring mistakes and standing losses.</p>
      </section>
    </div>

    <section class="sheet part" aria-labelledby="recurring">
      <h2 id="recurring">Recurring mistakes</h2>
      <div v-if="recurring.length" class="scroll-x" tabindex="0" role="group" aria-label="Recurring mistakes">
        <table class="ledger">
          <thead>
            <tr>
              <th scope="col">Where and what</th>
              <th scope="col" class="number">Passes</th>
              <th scope="col" class="number">Rate</th>
              <th scope="col" class="number">Each time</th>
              <th scope="col" class="number">Behind it</th>
              <th scope="col" class="number">A lap</th>
              <th v-if="shown.race_laps" scope="col" class="number">Race</th>
              <th scope="col">Run by run</th>
              <th scope="col">When</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="item in recurring" :id="`at-${item.corner}`" :key="item.corner + item.kind" tabindex="-1">
              <th scope="row">
                <RouterLink :to="place(item)">{{ item.corner }} {{ item.name }}: {{ item.title }}</RouterLink>
                <span class="quiet">{{ item.sure }}<template v-if="item.trend.closed">, closed</template></span>
              </th>
              <td class="number">{{ item.occurrences }} of {{ item.passes }}</td>
              <td class="number" :title="`90 %: ${perCent(item.rate_low)} to ${perCent(item.rate_high)}`">
                {{ perCent(item.rate) }}
                <span class="quiet">{{ perCent(item.rate_low) }}–{{ perCent(item.rate_high) }}</span>
              </td>
              <td class="number">{{ seconds(item.mean_loss_us) }}</td>
              <td class="number">{{ seconds(item.knock_on_us) }}</td>
              <td class="number strong">{{ seconds(item.cost_us) }}</td>
              <td v-if="shown.race_laps" class="number">
                {{ item.race_us === null ? '–' : seconds(item.race_us, 1) }}
              </td>
              <td><TrendDots :runs="item.trend.runs" :words="item.trend.words" /></td>
              <td class="when">{{ item.when.join(' ') || '–' }}</td>
            </tr>
          </tbody>
        </table>
      </div>
      <p v-else>None: what went wrong is no more than chance, or worth less than 0.02 s a lap.</p>
    </section>

    <section v-if="shown.standing.length" class="sheet part" aria-labelledby="standing">
      <h2 id="standing">Standing losses</h2>
      <ul>
        <li v-for="item in shown.standing" :id="`at-${item.corner}`" :key="item.corner" tabindex="-1">
          {{ item.words }}
          <RouterLink :to="{ name: 'beside', params: { id }, query: route.query }">Side by side</RouterLink>
        </li>
      </ul>
    </section>

    <section v-if="mine.length" class="sheet part" aria-labelledby="exercises">
      <h2 id="exercises">Exercises</h2>
      <div class="scroll-x" tabindex="0" role="group" aria-label="Exercises">
        <table class="ledger">
          <thead>
            <tr>
              <th scope="col">At</th>
              <th scope="col">Exercise</th>
              <th scope="col">Passed with</th>
              <th scope="col">Where it stands</th>
              <th scope="col" class="number">Before</th>
              <th scope="col" class="number">Since</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="item in mine" :key="item.id">
              <th scope="row">{{ item.corner }} {{ item.name }}: {{ item.kind_title }}</th>
              <td>{{ item.title }}<span v-if="item.ended_at" class="quiet"> (ended)</span></td>
              <td>{{ item.mark }}</td>
              <td>
                {{ item.words }}
                <button
                  v-if="!item.ended_at && may('exercise.assign')"
                  type="button"
                  class="link"
                  :disabled="end.isPending.value"
                  @click="end.mutate(item.id)"
                >
                  End it<span class="visually-hidden">: {{ item.title }} at {{ item.corner }}</span>
                </button>
              </td>
              <td class="number">{{ item.rate_before === null ? '–' : perCent(item.rate_before) }}</td>
              <td class="number">{{ item.rate_since === null ? '–' : perCent(item.rate_since) }}</td>
            </tr>
          </tbody>
        </table>
      </div>
    </section>

    <AccountPart :id="id" :driver="driver" />

    <section v-if="shown.temptations.length" class="sheet part" aria-labelledby="limits">
      <h2 id="limits">Track limits</h2>
      <ul>
        <li v-for="item in shown.temptations" :key="item.corner">{{ item.words }}</li>
      </ul>
    </section>

    <section v-if="tried.length || changed.length" class="sheet part" aria-labelledby="tried">
      <h2 id="tried">What was tried</h2>
      <OptionsPart v-if="tried.length" :options="tried" :names="cornerNames" />
      <template v-if="changed.length">
        <h3>Changes of setup</h3>
        <ul>
          <li v-for="item in changed" :key="item.before + item.after">{{ item.words }}</li>
        </ul>
        <p>
          <RouterLink :to="{ name: 'setups', query: { car: combination.data.value?.car_id } }"
            >The sheets, and what differs</RouterLink
          >
        </p>
      </template>
    </section>

    <section
      v-if="doubted.length || shown.trades.length || shown.together.length"
      class="sheet part"
      aria-labelledby="audit"
    >
      <h2 id="audit">References and trades</h2>
      <ul>
        <li v-for="item in doubted" :key="item.corner">
          {{ item.words }}
          <RouterLink
            v-if="layout"
            :to="{
              name: 'corner',
              params: { id: layout, code: item.corner },
              query: { car: combination.data.value?.car_id },
            }"
            >Look at it</RouterLink
          >
        </li>
        <li v-for="item in shown.trades" :key="item.first">
          Time won at {{ item.first }} is paid back at {{ item.second }} (correlation
          {{ item.correlation.toFixed(2).replace('-', '−') }} on {{ item.n }} laps).
          <RouterLink v-if="layout" :to="{ name: 'corner', params: { id: layout, code: item.first } }"
            >Say that they are linked</RouterLink
          >
        </li>
        <li v-for="pair in shown.together" :key="pair">{{ pair }}</li>
      </ul>
    </section>

    <details v-if="rest.length || shown.cold.length" class="sheet part">
      <summary>Everything else: {{ rest.length }} on warm tyres, {{ shown.cold.length }} on cold ones</summary>
      <h3 v-if="shown.cold.length">On cold tyres</h3>
      <ul v-if="shown.cold.length">
        <li v-for="item in shown.cold" :key="`c${item.corner}${item.kind}`">
          <RouterLink :to="place(item)">{{ item.words }}</RouterLink>
        </li>
      </ul>
      <h3 v-if="rest.length">No more than chance, or not worth the work</h3>
      <ul v-if="rest.length">
        <li v-for="item in rest" :key="item.corner + item.kind">
          <RouterLink :to="place(item)">{{ item.words }}</RouterLink>
        </li>
      </ul>
    </details>
  </template>
</template>

<style scoped src="@/shared/theme/fix.css"></style>
<style scoped>
.beside {
  grid-template-columns: minmax(0, 3fr) minmax(0, 2fr);
}
.three {
  padding-left: 20px;
}
.three li {
  margin-bottom: 10px;
}
.strong {
  font-weight: 600;
}
.when {
  font-size: 0.85rem;
  min-width: 180px;
}
.note {
  margin-bottom: 8px;
}
@media (max-width: 900px) {
  .beside {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
