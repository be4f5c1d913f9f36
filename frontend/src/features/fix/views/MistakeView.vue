<script setup lang="ts">
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { RouterLink, useRoute } from 'vue-router'
import { answer, api } from '@/shared/api/client'
import { useBook } from '@/features/track/book'
import PassPicture from '@/shared/charts/PassPicture.vue'
import PictureFrame from '@/shared/charts/PictureFrame.vue'
import { seconds, useDriverClinic, useLibrary, type Kind, type Slip } from '@/features/fix/clinic'
import { perCent } from '@/shared/format'
import AssignPart from '@/features/fix/parts/AssignPart.vue'
import SayPart from '@/features/fix/parts/SayPart.vue'
import TrendDots from '@/features/fix/parts/TrendDots.vue'
import SkeletonRows from '@/shared/parts/SkeletonRows.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import { runPlace } from '@/features/drive/runs'
import { useMay } from '@/shared/session'

/** One mistake: its passes side by side over the good pass, why, and what somebody says of it. */
const props = defineProps<{ id: string; driver: string; corner: string; kind: Kind }>()
const route = useRoute()
const may = useMay()
const { library, words } = useLibrary()
const { combination, week, also, enabled, where, clinic, card } = useDriverClinic(
  () => props.id,
  () => props.driver,
)
const passes = useQuery({
  enabled,
  queryKey: ['mistake', () => props.id, () => props.driver, () => props.corner, () => props.kind, week, also],
  placeholderData: keepPreviousData,
  retry: false,
  queryFn: () =>
    answer(
      api.GET('/api/combinations/{combination_id}/drivers/{driver_id}/mistakes/{corner}/{kind}', {
        params: { path: { ...where().path, corner: props.corner, kind: props.kind }, query: where().query },
      }),
    ),
})
const shown = computed(() => clinic.data.value)
const book = useBook(
  () => combination.data.value?.layout_id ?? '',
  () => combination.data.value?.car_id ?? '',
)
/** What the track book says of this corner beside the reference. */
const written = computed(() => book.data.value?.corners.find((other) => other.code === props.corner))
const item = computed(() =>
  [...(shown.value?.mistakes ?? []), ...(shown.value?.cold ?? [])].find(
    (other) => other.corner === props.corner && other.kind === props.kind,
  ),
)
const onCard = computed(() =>
  card.data.value?.items.find((other) => other.corner === props.corner && other.kind === props.kind),
)
const exercise = computed(() => library.data.value?.items.find((other) => other.kind === props.kind))
const marks = computed(() => {
  const places = passes.data.value?.marks
  if (!places) return []
  return [
    ...(places.brake_m === null ? [] : [{ at_m: places.brake_m, words: 'brake' }]),
    { at_m: places.slowest_m, words: 'slowest' },
    ...(places.pick_up_m === null ? [] : [{ at_m: places.pick_up_m, words: 'pick-up' }]),
  ].filter((mark, index, all) => index === 0 || mark.at_m - all[index - 1]!.at_m > 24)
})
const name = (slip: Slip) => `session ${slip.session}, run ${slip.run}, lap ${slip.lap}`
const trace = (slip: Slip) => ({ name: 'traces', params: { id: props.id }, query: { lap: [slip.key] } })

const others = computed(() =>
  (item.value?.slips ?? []).filter(
    (slip) => !passes.data.value?.passes.some((pass) => pass.key === slip.key && pass.at === slip.at),
  ),
)
</script>

<template>
  <div class="top">
    <div>
      <h1>{{ corner }} {{ item?.name }}: {{ words[kind] }}</h1>
      <p class="quiet">
        <RouterLink :to="{ name: 'driver-clinic', params: { id, driver }, query: route.query }">{{
          shown?.name ?? 'Back'
        }}</RouterLink><template v-if="combination.data.value">
          · {{ combination.data.value.track }}, {{ combination.data.value.layout }},
          {{ combination.data.value.car }}</template
        >
      </p>
    </div>
  </div>
  <TroubleNote :error="clinic.error.value" />
  <SkeletonRows v-if="clinic.isPending.value" :rows="6" label="Looking the corner through" />
  <section v-if="shown && !item" class="sheet empty">
    <h2>Nothing like this is left here</h2>
    <p>Laps or marks changed, or somebody said that it was something else.</p>
    <v-btn color="primary" :to="{ name: 'driver-clinic', params: { id, driver }, query: route.query }"
      >Back to the clinic</v-btn
    >
  </section>
  <template v-if="item">
    <div class="beside">
      <section class="sheet part" aria-labelledby="what">
        <h2 id="what">{{ item.recurring ? 'It recurs' : 'Single slips' }}, {{ item.sure }}</h2>
        <p class="words">{{ item.words }}</p>
        <p>{{ item.evidence }}</p>
        <p class="quiet">
          Rate {{ perCent(item.rate) }}, with 90 % between {{ perCent(item.rate_low) }} and
          {{ perCent(item.rate_high) }}. {{ item.when.join(' ') }} {{ item.trend.words }}
        </p>
        <TrendDots :runs="item.trend.runs" :words="item.trend.words" />
      </section>
      <section class="sheet part" aria-labelledby="why">
        <h2 id="why">What helps</h2>
        <template v-if="exercise">
          <p>{{ exercise.cause }}</p>
          <p><b>Feel and look for:</b> {{ exercise.feel }}</p>
          <p>
            <b>{{ exercise.title }}:</b> {{ exercise.work }} <span class="quiet">Passed with {{ exercise.mark }}.</span>
          </p>
        </template>
        <p>
          <b>Go by:</b> {{ onCard?.reference ?? 'nothing confirmed yet.' }}
          <RouterLink
            v-if="combination.data.value && corner !== 'L0'"
            :to="{
              name: 'corner',
              params: { id: combination.data.value.layout_id, code: corner },
              query: { car: combination.data.value.car_id },
            }"
            >The corner in the track book</RouterLink
          >
        </p>
        <p v-if="written?.note"><b>The track book:</b> {{ written.note }}</p>
        <p v-if="onCard?.assigned" class="given">
          {{ onCard.assigned.title }}: {{ onCard.assigned.words }}
          <RouterLink :to="{ name: 'declare', params: { id }, query: { driver, purpose: 'corner', watch: corner } }"
            >Declare the run</RouterLink
          >
        </p>
        <AssignPart v-else-if="may('exercise.assign')" :id="id" :driver="driver" :corner="corner" :kind="kind" />
      </section>
    </div>
    <section class="sheet part" aria-labelledby="passes">
      <h2 id="passes">Its passes</h2>
      <p class="quiet">
        Ink is the pass, dots are the median of the driver’s good passes; the tinted stretch begins where the loss does.
      </p>
      <TroubleNote :error="passes.error.value" :again="() => passes.refetch()" />
      <p v-if="passes.data.value && !passes.data.value.passes.length">
        None of these passes has a trace: how it happened can be watched, or recorded next time.
      </p>
      <ul class="pictures">
        <li v-for="pass in passes.data.value?.passes" :key="pass.key + pass.at">
          <h3>
            <RouterLink :to="trace(pass)">{{ name(pass) }}</RouterLink>
            <span class="number">{{ seconds(pass.loss_us) }}</span>
          </h3>
          <PictureFrame :name="`${corner}, ${name(pass)}`"
            ><PassPicture
              :at="passes.data.value!.at_m"
              :good="passes.data.value!.good"
              :own="pass.channels"
              :begins="pass.begins_m"
              :marks="marks"
              :label="`${corner}, ${name(pass)}: ${pass.evidence}`"
          /></PictureFrame>
          <p class="small">
            {{
              pass.phases
                .filter((phase) => Math.abs(phase.loss_us) >= 5000)
                .map((phase) => `${seconds(phase.loss_us)} ${phase.words}`)
                .join(', ')
            }}
          </p>
          <p class="small quiet">
            {{ pass.evidence }}<template v-if="pass.remark"> “{{ pass.remark }}”</template>
          </p>
          <SayPart :slip="pass" :driver="driver" :corner="corner" :parts="shown!.parts" :called="name(pass)" />
        </li>
      </ul>
      <template v-if="others.length">
        <h3>{{ passes.data.value?.passes.length ? 'And without a picture' : 'Passes' }}</h3>
        <ul>
          <li v-for="slip in others" :key="slip.key + slip.at">
            <RouterLink :to="runPlace(id, { session_id: slip.session_id, driver_id: driver, number: slip.run })">{{
              name(slip)
            }}</RouterLink>: {{ seconds(slip.loss_us) }}. {{ slip.evidence
            }}<template v-if="slip.remark"> “{{ slip.remark }}”</template>
            <SayPart :slip="slip" :driver="driver" :corner="corner" :parts="shown!.parts" :called="name(slip)" />
          </li>
        </ul>
      </template>
    </section>
  </template>
</template>

<style scoped src="@/shared/theme/fix.css"></style>
<style scoped>
.part p {
  margin-bottom: 4px;
}
.part .pictures {
  list-style: none;
  padding: 0;
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(270px, 1fr));
  gap: 14px;
}
.pictures h3 {
  display: flex;
  justify-content: space-between;
  font-size: 0.92rem;
  margin: 0;
}
.small {
  font-size: 0.84rem;
}
</style>
