<script setup lang="ts">
import { useMutation } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { RouterLink, useRoute, useRouter } from 'vue-router'
import { answer, api } from '@/api/client'
import { onStrip, POINTS, titleOf, useBook, useOutline, usePageKeys, useSettled } from '@/book'
import LapStrip from '@/charts/LapStrip.vue'
import TrackOutline from '@/charts/TrackOutline.vue'
import { count, length, shortLength } from '@/format'
import PastPart from '@/parts/PastPart.vue'
import SkeletonRows from '@/parts/SkeletonRows.vue'
import TroubleNote from '@/parts/TroubleNote.vue'
import ChecksList from '@/parts/track/ChecksList.vue'
import DeriveForm from '@/parts/track/DeriveForm.vue'
import PitForm from '@/parts/track/PitForm.vue'
import QuestionList from '@/parts/track/QuestionList.vue'
import TrackHead from '@/parts/track/TrackHead.vue'
import { maySeeAll, useMe } from '@/session'

const props = defineProps<{ id: string }>()
const route = useRoute()
const router = useRouter()
const settled = useSettled()
const me = useMe()
const all = computed(() => maySeeAll(me.data.value?.role))
const asked = useBook(() => props.id)
const book = computed(() => asked.data.value)
const outline = useOutline(() => props.id, () => book.value?.has_centreline && book.value.id === props.id)
const strip = computed(() => onStrip(book.value))
const over = ref<string>()
const changing = ref(false)
const deriving = ref(false)
watch(() => route.query.see, (see) => see === 'pit' && all.value && (changing.value = true), { immediate: true })
const open = (code: string) => router.push({ name: 'corner', params: { id: props.id, code }, query: { car: route.query.car } })
const rows = computed(() =>
  (book.value?.corners ?? []).map((corner) => {
    const own = book.value!.references.filter((item) => item.corner_id === corner.id && item.shown === 'standing')
    const brake = own.find((item) => item.state === 'confirmed' && (item.point === 'braking' || item.point === 'lift') && item.variant === 'usual' && !item.driver_id && item.thing)
    return {
      corner,
      brake,
      flat: corner.traits.some((item) => item.kind === 'flat'),
      proposed: own.filter((item) => item.state === 'proposed').length,
      checks: book.value!.checks.filter((item) => item.corner_id === corner.id).length,
      questions: book.value!.questions.filter((item) => item.corner_id === corner.id && !item.closed_at).length,
    }
  }),
)
const marks = computed(() =>
  (book.value?.references ?? []).filter((item) => item.at_m !== null && item.state === 'confirmed' && item.variant === 'usual' && item.point === 'braking').map((item) => ({ at_m: item.at_m!, sign: POINTS[item.point].sign, words: item.words })),
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
  <TroubleNote :error="asked.error.value ?? remove.error.value" :again="asked.error.value ? () => asked.refetch() : undefined" />
  <template v-if="book">
    <section class="sheet strip" aria-label="The lap laid out straight">
      <LapStrip :length="book.length_m" :corners="strip" :sectors="book.sectors" :pit="book.pit" :here="over" :marks="marks" label="Lap strip: corners from the line on" @pick="open" @over="over = $event" />
    </section>
    <div class="columns">
      <section class="sheet part" aria-labelledby="outline-title">
        <div class="line">
          <h2 id="outline-title">From above</h2>
          <span class="quiet">{{ book.kind }} · {{ length(book.length_m) }} · {{ count(book.corners.length, 'corner') }}<template v-if="book.derived_from"> · {{ book.derivation }} from {{ book.derived_from }}</template></span>
        </div>
        <TrackOutline v-if="outline.data.value?.x_m.length" :outline="outline.data.value" :length="book.length_m" :corners="strip" :sectors="book.sectors" :pit="book.pit" :here="over" :height="340" label="Outline of the layout" @pick="open" />
        <SkeletonRows v-else-if="book.has_centreline && outline.isPending.value" :rows="8" label="Loading the outline" />
        <p v-else class="quiet">The track file has no centreline: the strip above shows the lap.</p>
      </section>
      <section class="sheet part" aria-labelledby="checks-title">
        <h2 id="checks-title">Before the race <small class="quiet">{{ count(book.checks.length, 'thing') }} to see to</small></h2>
        <ChecksList :book="book" />
      </section>
    </div>
    <section class="sheet part" aria-labelledby="corners-title">
      <h2 id="corners-title">Corners</h2>
      <p v-if="!rows.length" class="quiet">None yet: draw them up under Boundaries.</p>
      <div v-else class="scroll-x" tabindex="0" role="region" aria-label="Corners of the layout">
        <table class="ledger">
          <thead><tr><th scope="col">Corner</th><th scope="col">Matters</th><th scope="col">Why</th><th scope="col">What one brakes by</th><th scope="col" class="number">Proposed</th><th scope="col" class="number">Questions</th><th scope="col" class="number">To see to</th></tr></thead>
          <tbody>
            <tr v-for="row in rows" :key="row.corner.id" :class="{ over: row.corner.code === over }" @mouseenter="over = row.corner.code" @mouseleave="over = undefined">
              <th scope="row"><RouterLink :to="{ name: 'corner', params: { id: book.id, code: row.corner.code }, query: { car: route.query.car } }">{{ titleOf(row.corner) }}</RouterLink></th>
              <td>{{ row.corner.importance.level }}</td>
              <td class="why">{{ row.corner.importance.words }}</td>
              <td><template v-if="row.brake">{{ row.brake.words }}</template><span v-else class="quiet">{{ row.flat ? 'taken without a lift' : '–' }}</span></td>
              <td class="number">{{ row.proposed || '' }}</td>
              <td class="number">{{ row.questions || '' }}</td>
              <td class="number">{{ row.checks || '' }}</td>
            </tr>
          </tbody>
        </table>
      </div>
    </section>
    <div class="columns">
      <section class="sheet part" aria-labelledby="pit-head">
        <div class="line">
          <h2 id="pit-head">Pit lane</h2>
          <v-btn v-if="all" size="small" variant="outlined" @click="changing = true">Names and pit lane</v-btn>
        </div>
        <p v-if="book.pit" class="quiet">Left at {{ shortLength(book.pit.entry_m) }}, joined at {{ shortLength(book.pit.exit_m) }}<template v-if="book.pit.side">, on the {{ book.pit.side }}</template>.</p>
        <p><b>In:</b> <span v-if="book.pit_entry_note" class="text">{{ book.pit_entry_note }}</span><span v-else class="quiet">nobody has written how the entry goes.</span></p>
        <p><b>Out:</b> <span v-if="book.pit_exit_note" class="text">{{ book.pit_exit_note }}</span><span v-else class="quiet">nobody has written how the exit goes.</span></p>
        <div class="buttons">
          <v-btn size="small" variant="outlined" :href="`/api/layouts/${book.id}/track.json`" download>Track file</v-btn>
          <template v-if="all">
            <v-btn size="small" variant="outlined" @click="deriving = true">Another layout of it</v-btn>
            <v-btn size="small" variant="outlined" @click="remove.mutate()">Remove this layout</v-btn>
          </template>
        </div>
        <p class="quiet care">Lines and references from a simulation are no guide for a real road: there the circuit’s rules and licensed instructors decide.</p>
      </section>
      <QuestionList :book="book" />
    </div>
    <PastPart :id="book.id" :key="book.id" thing="layout" title="Who changed this layout, and when" />
    <PitForm v-if="changing" :book="book" @close="(changing = false), router.replace({ query: { car: route.query.car } })" />
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
tr.over td,
tr.over th {
  background: color-mix(in srgb, var(--accent) 10%, transparent);
}
.why {
  color: var(--quiet);
  min-width: 220px;
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
