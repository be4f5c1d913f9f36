<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, reactive, ref, watch } from 'vue'
import { RouterLink } from 'vue-router'
import { answer, api, version, type Schemas } from '@/shared/api/client'
import PictureFrame from '@/shared/charts/PictureFrame.vue'
import { seconds } from '@/features/fix/clinic'
import { fuel, lapTime, moment, perCent, readTime } from '@/shared/format'
import { inUnit, units } from '@/shared/units'
import LessonsBack from '@/features/log/parts/LessonsBack.vue'
import PressurePart from '@/features/race/parts/PressurePart.vue'
import SkeletonRows from '@/shared/parts/SkeletonRows.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import WorkButton from '@/shared/parts/WorkButton.vue'
import { useMay } from '@/shared/session'

/** The race ahead in figures: qualifying, distance and consumption, tyres and stops, limits, the race from own laps; and what only people know of it. */
const props = defineProps<{ id: string }>()
const may = useMay()
const mayChange = computed(() => may('race.change'))
const queries = useQueryClient()
const asked = useQuery({
  queryKey: ['races', () => props.id],
  queryFn: () => answer(api.GET('/api/races/{entered_id}', { params: { path: { entered_id: props.id } } })),
})
const race = computed(() => asked.data.value)
const form = reactive({
  pit_s: 25,
  pit_deviation_s: 1.5,
  caution_pit_s: '' as number | '',
  risk: 5,
  formation_laps: 0.5,
  saving: 0,
  leader: '',
  rivals: '',
  life: {} as Record<string, number | ''>,
  wet_on_dry: '',
  dry_on_wet: '',
  remember: '',
  early: '',
})
function take(told: Schemas['RaceOut']) {
  const { wish } = told
  const time = (value: number | null) => (value === null ? '' : lapTime(value))
  Object.assign(form, {
    pit_s: wish.pit_s,
    pit_deviation_s: wish.pit_deviation_s,
    caution_pit_s: wish.caution_pit_s ?? '',
    risk: Math.round(1000 * wish.risk) / 10,
    formation_laps: wish.formation_laps,
    saving: Math.round(1000 * wish.saving) / 10,
    leader: time(wish.leader_us),
    rivals: wish.rivals_us.map((value) => lapTime(value)).join(' '),
    wet_on_dry: time(wish.wet_on_dry_us),
    dry_on_wet: time(wish.dry_on_wet_us),
    remember: wish.remember,
    early: wish.early,
    life: Object.fromEntries(told.compounds.map((name) => [name, wish.life[name] ?? ''])),
  })
}
watch(race, (told, old) => told && told.version !== old?.version && take(told), { immediate: true })
const said = ref('')
const keep = useMutation({
  onMutate: () => (said.value = ''),
  mutationFn: () => {
    const body: Schemas['RaceWishBody'] = {
      pit_s: form.pit_s,
      pit_deviation_s: form.pit_deviation_s,
      caution_pit_s: typeof form.caution_pit_s === 'number' ? form.caution_pit_s : null,
      risk: form.risk / 100,
      formation_laps: form.formation_laps,
      saving: form.saving / 100,
      leader_us: readTime(form.leader),
      rivals_us: form.rivals.split(/[\s;]+/).flatMap((text) => readTime(text) ?? []),
      wet_on_dry_us: readTime(form.wet_on_dry),
      dry_on_wet_us: readTime(form.dry_on_wet),
      remember: form.remember.trim(),
      early: form.early.trim(),
      life: Object.fromEntries(
        Object.entries(form.life).filter((item): item is [string, number] => typeof item[1] === 'number'),
      ),
    }
    return answer(
      api.PUT('/api/races/{entered_id}', {
        params: { path: { entered_id: props.id }, header: version(race.value!.version) },
        body,
      }),
    )
  },
  onSuccess: () => (said.value = 'Kept.'),
  onSettled: () =>
    Promise.all(['races', 'steps', 'history', 'board'].map((key) => queries.invalidateQueries({ queryKey: [key] }))),
})
const most = computed(() =>
  Math.max(
    1,
    ...(race.value?.stops?.plans ?? []).map((item) => item.stints.reduce((sum, stint) => sum + stint.laps, 0)),
  ),
)
/** The best, and those that could be. */
const shares = computed(() =>
  (race.value?.stops?.plans ?? []).filter((item, index) => index < 2 || item.wins > 0).slice(0, 6),
)
/** A stop that would have to cost next to nothing is no choice. */
const flips = computed(() =>
  (race.value?.stops?.pit_flips_s ?? []).filter((item) => item.seconds >= 0.4 * race.value!.wish.pit_s),
)
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
const hatch = (name: string) => `h${(race.value?.compounds ?? []).indexOf(name) % 4}`
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
      <section class="sheet part" aria-labelledby="tyres-title">
        <h2 id="tyres-title">Tyres and stops</h2>
        <template v-if="race.stops?.plans.length">
          <PictureFrame :name="`tyres and stops, ${race.driver}`"
            ><ol class="plans">
              <li v-for="(item, index) in shares" :key="item.words">
                <p>
                  <b>{{ item.words }}</b>
                  <span class="quiet"
                    >{{ index ? `${seconds(item.behind_us)} slower` : lapTime(item.time_us) }}; fastest in
                    {{ perCent(item.wins) }} of the draws</span
                  >
                </p>
                <span class="stints" aria-hidden="true"
                  ><span
                    v-for="(stint, place) in item.stints"
                    :key="place"
                    class="stint"
                    :class="hatch(stint.compound)"
                    :style="{ width: `${(100 * stint.laps) / most}%` }"
                    >{{ stint.laps }}</span
                  ></span
                >
              </li>
            </ol></PictureFrame
          >
          <p v-for="flip in flips" :key="flip.stops" class="quiet">
            With {{ flip.stops ? `${flip.stops} ${flip.stops === 1 ? 'stop' : 'stops'}` : 'no stop' }} it would be as
            fast if a stop cost {{ flip.seconds.toFixed(1) }} s.
          </p>
          <p v-for="item in race.stops.falloff_flips" :key="item.compound" class="quiet">
            If {{ item.compound }} fell off {{ seconds(item.falloff_us, 3) }} a lap, {{ item.words }} would be as fast.
          </p>
          <p v-for="item in race.stops.cautions" :key="item.first">
            A caution behind
            {{ item.first === item.last ? `lap ${item.first}` : `laps ${item.first} to ${item.last}` }}: stop then, up
            to <b>{{ seconds(item.best_us) }}</b> won (lap {{ item.at }}).
          </p>
          <details>
            <summary>What this stands on</summary>
            <ul>
              <li v-for="item in race.stops.compounds" :key="String(item.name)">
                {{ item.name }}: {{ lapTime(Number(item.new_us)) }} on new tyres, falloff
                {{ seconds(Number(item.falloff_us), 3) }} a lap ({{ seconds(Number(item.falloff_low_us), 3) }} to
                {{ seconds(Number(item.falloff_high_us), 3) }})<template v-if="item.life"
                  >, {{ item.life }} laps a set</template
                >
              </li>
            </ul>
          </details>
        </template>
        <p v-else-if="race.stops">No plan is possible: {{ race.stops.why_none }}.</p>
        <p v-else class="quiet">Nothing tells yet.</p>
        <p v-for="item in race.options.filter((one) => one.race)" :key="item.where">
          {{ item.where === 'lap' ? 'All lap' : item.where }}: {{ item.race }}
        </p>
        <p v-if="race.opening && !race.opening.tried">
          {{ race.opening.words }}{{ ' '
          }}<template v-if="!race.opening.verdict && race.combination_id"
            ><RouterLink :to="{ name: 'driver-pace', params: { id: race.combination_id, driver: race.driver_id } }"
              >Try it on purpose</RouterLink
            >: one run pushed, one saved, each with its option named.</template
          >
        </p>
        <template v-if="race.crossing">
          <p v-if="race.crossing.drying">
            Drying: dry tyres from a lap of <b>{{ lapTime(race.crossing.drying.change_us) }}</b> on,
            {{ race.crossing.laps_left }} laps from the end.
          </p>
          <p v-if="race.crossing.getting_wet">
            Getting wet: wet tyres from a lap of <b>{{ lapTime(race.crossing.getting_wet.change_us) }}</b> on.
          </p>
        </template>
      </section>
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
    <form v-draft="`race ${id}`" class="sheet part" aria-labelledby="known-title" @submit.prevent="keep.mutate()">
      <h2 id="known-title">What only people know</h2>
      <fieldset :disabled="!mayChange" class="fields">
        <label
          >A stop costs, s
          <input v-model.number="form.pit_s" class="field" type="number" min="0" max="600" step="0.1" required
        /></label>
        <label
          >give or take, s
          <input v-model.number="form.pit_deviation_s" class="field" type="number" min="0" max="60" step="0.1" required
        /></label>
        <label
          >A stop under a caution, s
          <input
            v-model.number="form.caution_pit_s"
            class="field"
            type="number"
            min="0"
            max="600"
            step="0.1"
            placeholder="half of that"
        /></label>
        <label
          >Risk of running out, %
          <input v-model.number="form.risk" class="field" type="number" min="0.1" max="50" step="0.1" required
        /></label>
        <label
          >Formation, laps’ worth
          <input v-model.number="form.formation_laps" class="field" type="number" min="0" max="5" step="0.1" required
        /></label>
        <label
          >Saved on a lap, %
          <input v-model.number="form.saving" class="field" type="number" min="0" max="90" step="0.5" required
        /></label>
        <label
          >Leader’s lap <input v-model="form.leader" v-reads="'time'" class="field" placeholder="m:ss.fff"
        /></label>
        <label
          >Rivals’ laps, as far as known
          <input v-model="form.rivals" v-reads="'times'" class="field" maxlength="600" placeholder="m:ss.fff m:ss.fff"
        /></label>
        <label v-for="name in race.compounds" :key="name"
          >{{ name }}: a set lasts, laps
          <input v-model.number="form.life[name]" class="field" type="number" min="1" max="500" placeholder="the race"
        /></label>
        <label
          >Wet tyres on a dry track
          <input v-model="form.wet_on_dry" v-reads="'time'" class="field" placeholder="m:ss.fff"
        /></label>
        <label
          >Dry tyres on a wet track
          <input v-model="form.dry_on_wet" v-reads="'time'" class="field" placeholder="m:ss.fff"
        /></label>
        <label class="wide"
          >The one thing to remember <input v-model="form.remember" class="field" maxlength="200"
        /></label>
        <label class="wide"
          >What to expect of others
          <input
            v-model="form.early"
            class="field"
            maxlength="300"
            placeholder="who attacks early and fades, where others crash"
        /></label>
      </fieldset>
      <p v-if="race.pit_loss" class="quiet">
        In and out laps of practice took {{ seconds(race.pit_loss.loss_us, 1) }} longer than two laps at pace ({{
          race.pit_loss.in_laps
        }}
        and {{ race.pit_loss.out_laps }} of them), without standing still.
        <button
          v-if="mayChange"
          type="button"
          class="link"
          @click="form.pit_s = Math.round(race.pit_loss.loss_us / 1e5) / 10"
        >
          Take it as what a stop costs
        </button>
      </p>
      <p v-if="mayChange">
        <WorkButton type="submit" color="primary" size="small" :loading="keep.isPending.value">Keep it</WorkButton>
        <span role="status" class="quiet">{{ said }}</span>
      </p>
      <TroubleNote :error="keep.error.value" />
    </form>
    <PressurePart :readings="race.hot_readings" />
  </template>
</template>

<style scoped src="@/shared/theme/page.css"></style>
<style scoped>
.columns {
  display: grid;
  gap: 12px;
  margin: 10px 0 12px;
  align-items: start;
}
.columns .part {
  margin: 0;
}
h2:not(:first-child) {
  margin-top: 10px;
}
fieldset {
  border: 0;
  padding: 0;
}
.plans {
  padding-left: 20px;
}
.stints {
  display: flex;
  gap: 2px;
  margin: 2px 0 8px;
}
.stint {
  font-size: 0.78rem;
  text-align: center;
  border: 1px solid var(--ink);
  background-color: var(--paper);
  overflow: hidden;
}
.h0 {
  background-image: repeating-linear-gradient(
    45deg,
    color-mix(in srgb, var(--ink) 18%, transparent) 0 2px,
    transparent 2px 8px
  );
}
.h1 {
  background-image: repeating-linear-gradient(
    -45deg,
    color-mix(in srgb, var(--ink) 26%, transparent) 0 2px,
    transparent 2px 5px
  );
}
.h2 {
  background-image: repeating-linear-gradient(
    0deg,
    color-mix(in srgb, var(--ink) 18%, transparent) 0 2px,
    transparent 2px 6px
  );
}
.h3 {
  background-image: radial-gradient(color-mix(in srgb, var(--ink) 34%, transparent) 1.2px, transparent 1.6px);
  background-size: 7px 7px;
}
.missing {
  border-left: 4px solid var(--ochre);
}
@media (min-width: 1000px) {
  .columns {
    grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
  }
}
</style>
