<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { RouterLink, useRoute, useRouter } from 'vue-router'
import {
  COSTS,
  KERBS,
  LANES,
  onStrip,
  PASSING_SIDES,
  PHASES,
  POINTS,
  titleOf,
  TRAITS,
  useBook,
  useNeighbours,
  usePageKeys,
  useTyres,
} from '@/features/track/book'
import LapStrip from '@/shared/charts/LapStrip.vue'
import { shortLength } from '@/shared/format'
import PastPart from '@/shared/parts/PastPart.vue'
import SkeletonRows from '@/shared/parts/SkeletonRows.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import CarsBeside from '@/features/track/parts/CarsBeside.vue'
import ChecksList from '@/features/track/parts/ChecksList.vue'
import CornerForm from '@/features/track/parts/CornerForm.vue'
import OutlinePart from '@/features/track/parts/OutlinePart.vue'
import QuestionList from '@/features/track/parts/QuestionList.vue'
import ReferenceList from '@/features/track/parts/ReferenceList.vue'
import TrackHead from '@/features/track/parts/TrackHead.vue'
import { useMay } from '@/shared/session'

const props = defineProps<{ id: string; code: string }>()
const route = useRoute()
const router = useRouter()
const may = useMay()
const all = computed(() => may('corner.change'))
const asked = useBook(() => props.id)
const book = computed(() => asked.data.value)
const strip = computed(() => onStrip(book.value))
const { byCorner: tyres } = useTyres(() => book.value)
const { before, after, go } = useNeighbours(book, () => props.code)
const corner = computed(() => book.value?.corners.find((item) => item.code === props.code))
const changing = ref(false)
const lit = computed(() => (typeof route.query.see === 'string' ? route.query.see.split(',') : []))
watch(
  [() => route.query.see, corner],
  ([see, now]) => see === 'corner' && now && all.value && (changing.value = true),
  { immediate: true },
)
const references = ref<InstanceType<typeof ReferenceList>>()
const questions = ref<InstanceType<typeof QuestionList>>()
usePageKeys(() => ({
  ArrowLeft: () => before.value && void go(before.value.code),
  ArrowRight: () => after.value && void go(after.value.code),
  r: () => references.value?.write(),
  e: () => all.value && (changing.value = true),
  q: () => questions.value?.focus(),
}))
/** The stretch that the picture shows: from before the braking to behind the exit. */
const stretch = computed<[number, number] | undefined>(() => {
  if (!corner.value || !book.value) return undefined
  const length = book.value.length_m
  const margin = Math.min(140, length / 12)
  const end = corner.value.end_m >= corner.value.start_m ? corner.value.end_m : corner.value.end_m + length
  if (end - corner.value.start_m + 2 * margin >= length) return undefined
  return [(corner.value.start_m - margin + length) % length, (end + margin) % length]
})
const marks = computed(() =>
  (book.value?.references ?? [])
    .filter(
      (item) =>
        item.corner_id === corner.value?.id &&
        item.at_m !== null &&
        item.shown === 'standing' &&
        item.variant === 'usual',
    )
    .map((item) => ({ at_m: item.at_m!, sign: POINTS[item.point].sign, words: item.words })),
)
const withMove = computed(() =>
  corner.value?.move
    ? book.value!.corners.filter((item) => item.move === corner.value!.move && item.id !== corner.value!.id)
    : [],
)
const pitHere = computed(() => {
  const pit = book.value?.pit
  const at = corner.value
  if (!pit || !at || !book.value) return []
  const next = book.value.corners.find((item) => item.start_m > at.start_m)?.start_m ?? book.value.length_m
  const inside = (metres: number) => metres >= at.start_m && metres < next
  return [
    ...(inside(pit.entry_m) ? [{ what: 'Pit entry', metres: pit.entry_m, note: book.value.pit_entry_note }] : []),
    ...(inside(pit.exit_m) ? [{ what: 'Pit exit', metres: pit.exit_m, note: book.value.pit_exit_note }] : []),
  ]
})

// The same corner in another car.
</script>

<template>
  <TrackHead :book="book" :title="corner ? titleOf(corner) : code">
    <span class="turn">
      <v-btn
        v-if="before"
        size="small"
        variant="outlined"
        :aria-label="`The corner before: ${titleOf(before)}`"
        @click="go(before.code)"
        >← {{ before.code }}</v-btn
      >
      <v-btn
        v-if="after"
        size="small"
        variant="outlined"
        :aria-label="`The corner after: ${titleOf(after)}`"
        @click="go(after.code)"
        >{{ after.code }} →</v-btn
      >
    </span>
  </TrackHead>
  <SkeletonRows v-if="asked.isPending.value" :rows="10" label="Loading the track book" />
  <TroubleNote :error="asked.error.value" :again="() => asked.refetch()" />
  <section v-if="book && !corner" class="sheet empty">
    <h2>No corner {{ code }}</h2>
    <p>This layout has none of that code, or no longer does.</p>
    <v-btn :to="{ name: 'track', params: { id } }" color="primary">The layout</v-btn>
  </section>
  <template v-if="book && corner">
    <section class="sheet strip" aria-label="The lap laid out straight">
      <LapStrip
        :length="book.length_m"
        :corners="strip"
        :sectors="book.sectors"
        :pit="book.pit"
        :here="corner.code"
        label="Lap strip: corners from the line on"
        @pick="go"
      />
    </section>
    <div class="columns">
      <div>
        <section class="sheet part" aria-labelledby="known-title">
          <div class="line">
            <h2 id="known-title">{{ book.track }}, {{ book.layout }}</h2>
            <v-btn v-if="all" size="small" variant="outlined" @click="changing = true">Change</v-btn>
          </div>
          <OutlinePart
            :book="book"
            :corners="strip"
            :sectors="[]"
            :here="corner.code"
            :stretch="stretch"
            :marks="marks"
            :height="190"
            :label="`${titleOf(corner)} from above`"
            @pick="go"
          />
          <dl>
            <dt>Matters</dt>
            <dd>
              <b>{{ corner.importance.level }}</b> <span class="quiet">{{ corner.importance.words }}</span>
            </dd>
            <template v-if="corner.other_names.length"
              ><dt>Also called</dt>
              <dd>{{ corner.other_names.join(', ') }}</dd></template
            >
            <template v-if="corner.move"
              ><dt>One move</dt>
              <dd>
                {{ corner.move
                }}<template v-if="withMove.length"
                  >, with
                  <template v-for="(item, index) in withMove" :key="item.id"
                    ><template v-if="index">, </template
                    ><RouterLink
                      :to="{ name: 'corner', params: { id, code: item.code }, query: { car: route.query.car } }"
                      >{{ item.code }}</RouterLink
                    ></template
                  ></template
                >
              </dd></template
            >
            <template v-if="corner.given_up_for"
              ><dt>Given up for</dt>
              <dd>
                <RouterLink
                  :to="{ name: 'corner', params: { id, code: corner.given_up_for }, query: { car: route.query.car } }"
                  >{{ corner.given_up_for }}</RouterLink
                >
              </dd></template
            >
            <template v-if="corner.traits.length"
              ><dt>Road</dt>
              <dd>
                <span v-for="(item, index) in corner.traits" :key="index" class="item"
                  >{{ TRAITS[item.kind] }}<template v-if="item.where"> ({{ item.where }})</template></span
                >
              </dd></template
            >
            <template v-if="tyres.has(corner.code)"
              ><dt>Tyres</dt>
              <dd>{{ tyres.get(corner.code)!.words }}</dd></template
            >
            <dt>Kerbs</dt>
            <dd>
              <p v-for="(item, index) in corner.kerbs" :key="index">
                <b :class="item.use">{{ KERBS[item.use] }}</b> {{ item.where
                }}<template v-if="item.why">: {{ item.why }}</template>
              </p>
              <span v-if="!corner.kerbs.length" class="quiet">not written</span>
            </dd>
            <dt>Limits</dt>
            <dd>
              <p v-for="(item, index) in corner.limits" :key="index">
                {{ item.where }}<template v-if="item.part">, {{ item.part }}</template
                >: costs {{ COSTS[item.cost] }}
                <span v-if="item.rules" class="quiet">by the rules “{{ item.rules }}”</span>
              </p>
              <span v-if="!corner.limits.length" class="quiet">not read yet</span>
            </dd>
            <dt>Passing</dt>
            <dd>
              <p v-for="(item, index) in corner.passing" :key="index">
                {{ PASSING_SIDES[item.side] }}, {{ item.risk }} risk<template v-if="item.wrong"
                  >: {{ item.wrong }}</template
                ><template v-if="item.yield_when">. Yield {{ item.yield_when }}</template>
              </p>
              <span v-if="!corner.passing.length" class="quiet">not written</span>
            </dd>
            <template v-if="corner.lanes.length"
              ><dt>Lanes</dt>
              <dd>
                <p v-for="(item, index) in corner.lanes" :key="index">
                  {{ PHASES[item.phase] }}: {{ LANES[item.lane]
                  }}<template v-if="item.where">, {{ item.where }}</template
                  ><span v-if="item.why" class="quiet">({{ item.why }})</span>
                </p>
              </dd></template
            >
            <template v-for="item in pitHere" :key="item.what"
              ><dt>{{ item.what }}</dt>
              <dd>
                at {{ shortLength(item.metres) }}:
                <span class="text">{{ item.note ?? 'nobody has written how it goes' }}</span>
              </dd></template
            >
            <template v-if="corner.note"
              ><dt>Note</dt>
              <dd class="text">{{ corner.note }}</dd></template
            >
          </dl>
        </section>
        <QuestionList ref="questions" :book="book" :corner="corner.id" />
        <PastPart :id="corner.id" :key="corner.id" thing="layout_corner" title="Who changed this corner, and when" />
      </div>
      <div>
        <section
          v-if="book.checks.some((item) => item.corner_id === corner!.id)"
          class="sheet part"
          aria-labelledby="own-checks"
        >
          <h2 id="own-checks">To see to</h2>
          <ChecksList :book="book" :corner="corner.id" />
        </section>
        <ReferenceList ref="references" :book="book" :corner="corner" :lit="lit" />
        <CarsBeside v-if="book.cars.length > 1" :layout="id" :book="book" :corner="corner.id" />
      </div>
    </div>
    <CornerForm
      v-if="changing"
      :key="corner.id"
      :book="book"
      :corner="corner"
      @close="((changing = false), route.query.see === 'corner' && router.replace({ query: { car: route.query.car } }))"
    />
  </template>
</template>

<style scoped src="@/features/track/corner.css"></style>
