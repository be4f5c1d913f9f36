<script setup lang="ts">
import { useMutation } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { answer, api } from '@/shared/api/client'
import { onStrip, POINTS, useBook, usePageKeys, useSettled, useTyres } from '@/features/track/book'
import LapStrip from '@/shared/charts/LapStrip.vue'
import { count, length, shortLength } from '@/shared/format'
import PastPart from '@/shared/parts/PastPart.vue'
import SkeletonRows from '@/shared/parts/SkeletonRows.vue'
import LessonsBack from '@/features/log/parts/LessonsBack.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import ChecksList from '@/features/track/parts/ChecksList.vue'
import CornerTable from '@/features/track/parts/CornerTable.vue'
import DeriveForm from '@/features/track/parts/DeriveForm.vue'
import OutlinePart from '@/features/track/parts/OutlinePart.vue'
import PitForm from '@/features/track/parts/PitForm.vue'
import QuestionList from '@/features/track/parts/QuestionList.vue'
import TrackHead from '@/features/track/parts/TrackHead.vue'
import { useMay } from '@/shared/session'

const props = defineProps<{ id: string }>()
const route = useRoute()
const router = useRouter()
const settled = useSettled()
const may = useMay()
const all = computed(() => may('track.change'))
const asked = useBook(() => props.id)
const book = computed(() => asked.data.value)
const strip = computed(() => onStrip(book.value))
const { tyres, byCorner } = useTyres(() => book.value)
const over = ref<string>()
const changing = ref(false)
const deriving = ref(false)
watch(
  () => route.query.see,
  (see) => see === 'pit' && all.value && (changing.value = true),
  { immediate: true },
)
const open = (code: string) =>
  router.push({ name: 'corner', params: { id: props.id, code }, query: { car: route.query.car } })
const marks = computed(() =>
  (book.value?.references ?? [])
    .filter(
      (item) =>
        item.at_m !== null && item.state === 'confirmed' && item.variant === 'usual' && item.point === 'braking',
    )
    .map((item) => ({ at_m: item.at_m!, sign: POINTS[item.point].sign, words: item.words })),
)
const remove = useMutation({
  mutationFn: () => answer(api.DELETE('/api/layouts/{layout_id}', { params: { path: { layout_id: props.id } } })),
  onSuccess: () => router.push('/tracks'),
  onSettled: settled,
})
usePageKeys(() => ({ c: () => book.value?.corners[0] && void open(book.value.corners[0].code) }))
</script>

<template>
  <TrackHead :book="book" :title="book ? `${book.track}, ${book.layout}` : 'Track'" />
  <SkeletonRows v-if="asked.isPending.value" :rows="10" label="Loading the track book" />
  <TroubleNote
    :error="asked.error.value ?? remove.error.value"
    :again="asked.error.value ? () => asked.refetch() : undefined"
  />
  <template v-if="book">
    <section class="sheet strip" aria-label="The lap laid out straight">
      <LapStrip
        :length="book.length_m"
        :corners="strip"
        :sectors="book.sectors"
        :pit="book.pit"
        :here="over"
        :marks="marks"
        label="Lap strip: corners from the line on"
        @pick="open"
        @over="over = $event"
      />
    </section>
    <div class="columns">
      <section class="sheet part" aria-labelledby="outline-title">
        <div class="line">
          <h2 id="outline-title">From above</h2>
          <span class="quiet"
            >{{ book.kind }} · {{ length(book.length_m) }} · {{ count(book.corners.length, 'corner')
            }}<template v-if="book.derived_from"> · {{ book.derivation }} from {{ book.derived_from }}</template></span
          >
        </div>
        <OutlinePart
          :book="book"
          :corners="strip"
          :sectors="book.sectors"
          :here="over"
          :height="340"
          label="Outline of the layout"
          @pick="open"
        />
      </section>
      <section class="sheet part" aria-labelledby="checks-title">
        <h2 id="checks-title">
          Before the race <small class="quiet">{{ count(book.checks.length, 'thing') }} to see to</small>
        </h2>
        <ChecksList :book="book" />
      </section>
    </div>
    <LessonsBack :layout="book.id" />
    <section class="sheet part" aria-labelledby="corners-title">
      <h2 id="corners-title">Corners</h2>
      <p v-if="tyres" class="quiet">{{ tyres.words }}</p>
      <CornerTable :book="book" :tyres="byCorner" :over="over" @over="over = $event" />
    </section>
    <div class="columns">
      <section class="sheet part" aria-labelledby="pit-head">
        <div class="line">
          <h2 id="pit-head">Pit lane</h2>
          <v-btn v-if="all" size="small" variant="outlined" @click="changing = true">Names and pit lane</v-btn>
        </div>
        <p v-if="book.pit" class="quiet">
          Left at {{ shortLength(book.pit.entry_m) }}, joined at {{ shortLength(book.pit.exit_m)
          }}<template v-if="book.pit.side">, on the {{ book.pit.side }}</template
          >.
        </p>
        <p>
          <b>In:</b> <span v-if="book.pit_entry_note" class="text">{{ book.pit_entry_note }}</span><span
            v-else
            class="quiet"
            >nobody has written how the entry goes.</span
          >
        </p>
        <p>
          <b>Out:</b> <span v-if="book.pit_exit_note" class="text">{{ book.pit_exit_note }}</span><span
            v-else
            class="quiet"
            >nobody has written how the exit goes.</span
          >
        </p>
        <div class="buttons">
          <v-btn size="small" variant="outlined" :href="`/api/layouts/${book.id}/track.json`" download
            >Track file</v-btn
          >
          <template v-if="all">
            <v-btn size="small" variant="outlined" @click="deriving = true">Another layout of it</v-btn>
            <v-btn size="small" variant="outlined" :to="{ name: 'find-layout', query: { layout: book.id } }"
              >What traces say</v-btn
            >
            <v-btn size="small" variant="outlined" @click="remove.mutate()">Remove this layout</v-btn>
          </template>
        </div>
        <p class="quiet care">
          Lines and references from a simulation are no guide for a real road: there the circuit’s rules and licensed
          instructors decide.
        </p>
      </section>
      <QuestionList :book="book" />
    </div>
    <PastPart :id="book.id" :key="book.id" thing="layout" title="Who changed this layout, and when" />
    <PitForm
      v-if="changing"
      :book="book"
      @close="((changing = false), router.replace({ query: { car: route.query.car } }))"
    />
    <DeriveForm v-if="deriving" :book="book" @close="deriving = false" />
  </template>
</template>

<style scoped>
.strip {
  padding: 4px 6px 2px;
  margin-bottom: 10px;
}
.columns {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(min(100%, 420px), 1fr));
  gap: 12px;
  align-items: start;
  margin-bottom: 12px;
}
.line {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 2px 14px;
}
.line .v-btn {
  margin-left: auto;
}
.text {
  white-space: pre-wrap;
}
.care {
  margin-top: 10px;
  font-size: 0.88rem;
}
small {
  font-weight: 400;
  font-family: var(--sans);
  font-size: 0.85rem;
}
</style>
