<script setup lang="ts">
import { useMutation } from '@tanstack/vue-query'
import { computed, reactive, ref, watch } from 'vue'
import { answer, api, version, type Book, type Consequences, type Job } from '@/shared/api/client'
import { follow } from '@/shared/api/jobs'
import { useBook, useSettled } from '@/features/track/book'
import {
  asDraft,
  meant,
  merged,
  sectorsMeant,
  split,
  wrongIn,
  type CornerDraft,
  type SectorDraft,
} from '@/features/track/boundaries'
import type { StripCorner } from '@/shared/charts/LapStrip.vue'
import { asTyped, count, readNumber } from '@/shared/format'
import { takeFound } from '@/features/track/found'
import JobProgress from '@/shared/parts/JobProgress.vue'
import SkeletonRows from '@/shared/parts/SkeletonRows.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import BoundaryStrip from '@/features/track/parts/BoundaryStrip.vue'
import CornerRows from '@/features/track/parts/CornerRows.vue'
import SectorFields from '@/features/track/parts/SectorFields.vue'
import OutlinePart from '@/features/track/parts/OutlinePart.vue'
import TrackHead from '@/features/track/parts/TrackHead.vue'
import WorkButton from '@/shared/parts/WorkButton.vue'

const props = defineProps<{ id: string }>()
const asked = useBook(() => props.id)
const book = computed(() => asked.data.value)
const settled = useSettled()
const corners = ref<CornerDraft[]>([])
const sectors = ref<SectorDraft[]>([])
const from = reactive({ id: '', version: 0, text: '' })
const text = () => JSON.stringify([corners.value, sectors.value])
function begin(row: Book) {
  corners.value = row.corners.map((corner, index) => asDraft(corner, row.corners[(index + 1) % row.corners.length]))
  sectors.value = row.sectors.map((item) => ({ code: item.code, start: asTyped(item.start_m) }))
  Object.assign(from, { id: row.id, version: row.version, text: text() })
  look.reset()
}
const changed = computed(() => text() !== from.text)
const moved = computed(() => !!book.value && book.value.id === from.id && book.value.version !== from.version)
const here = ref(0)

const value = (text: string) => readNumber(text) ?? 0
const drawn = computed<StripCorner[]>(() =>
  corners.value.map((row, index) => ({
    key: String(index),
    code: row.code,
    name: row.name,
    start_m: value(row.start),
    apex_m: value(row.apex),
    end_m: value(row.end),
    direction: row.direction || null,
    level: book.value?.corners.find((item) => item.id === row.id)?.importance.level ?? 'medium',
    rank: index,
  })),
)
const bars = computed(() => sectors.value.map((item) => ({ code: item.code, start_m: readNumber(item.start) ?? 0 })))
function add() {
  const last = corners.value.at(-1)
  const start = last ? Math.min(value(last.end) + 10, (book.value?.length_m ?? 0) - 30) : 50
  corners.value = [
    ...corners.value,
    {
      id: null,
      code: `T${corners.value.length + 1}`,
      name: '',
      start: asTyped(start),
      apex: asTyped(start + 10),
      end: asTyped(start + 20),
      direction: '',
      linked: false,
    },
  ]
  here.value = corners.value.length - 1
}

const bad = computed(() => wrongIn(corners.value, sectors.value))
const body = () => ({ sectors: sectorsMeant(sectors.value), corners: corners.value.map(meant) })
const look = useMutation({
  mutationFn: (): Promise<Consequences> =>
    answer(
      api.POST('/api/layouts/{layout_id}/boundaries/look', { params: { path: { layout_id: props.id } }, body: body() }),
    ),
})
const job = ref<Job>()
const done = ref('')
const change = useMutation({
  mutationFn: async () => {
    const begun = await answer(
      api.POST('/api/layouts/{layout_id}/boundaries', {
        params: { path: { layout_id: props.id }, header: version(from.version) },
        body: body(),
      }),
    )
    return follow(begun, (now) => (job.value = now))
  },
  onSuccess: async (ended) => {
    done.value = `Done: ${count(ended.laps, 'lap')} written anew. Ctrl Z takes it back as a whole.`
    await settled()
    // It may have come by itself already, and not change any more.
    if (book.value) begin(book.value)
  },
})
watch([corners, sectors], () => look.reset(), { deep: true })
/** What was found from traces, laid over what is there: corners whose apexes lie near each other are the same. */
const SAME_M = 60
function layOver(row: Book) {
  const found = takeFound()
  if (!found) return
  const left = new Set(row.corners.map((corner) => corner.id))
  corners.value = found.corners.map((corner) => {
    const same = row.corners
      .filter((item) => left.has(item.id) && Math.abs(item.apex_m - corner.apex_m) <= SAME_M)
      .sort((a, b) => Math.abs(a.apex_m - corner.apex_m) - Math.abs(b.apex_m - corner.apex_m))[0]
    if (same) left.delete(same.id)
    return {
      id: same?.id ?? null,
      code: same?.code ?? corner.code,
      name: same?.name ?? corner.name ?? '',
      start: asTyped(corner.start_m),
      apex: asTyped(corner.apex_m),
      end: asTyped(corner.end_m),
      direction: corner.direction ?? '',
      linked: !!same?.given_up_for,
    }
  })
}
// What others did is shown at once where nothing of one's own would be lost.
watch(
  book,
  (row) =>
    row &&
    row.id === props.id &&
    (from.id !== row.id || (from.version !== row.version && !changed.value)) &&
    (begin(row), layOver(row)),
  { immediate: true },
)
</script>

<template>
  <TrackHead :book="book" :title="book ? `${book.track}, ${book.layout}` : 'Boundaries'" />
  <SkeletonRows v-if="asked.isPending.value" :rows="10" label="Loading the layout" />
  <TroubleNote :error="asked.error.value" :again="() => asked.refetch()" />
  <template v-if="book">
    <v-alert v-if="moved && changed" type="warning" class="my-3"
      >Somebody else changed this layout meanwhile.
      <v-btn size="small" variant="outlined" @click="begin(book)">Begin with theirs</v-btn></v-alert
    >
    <BoundaryStrip
      v-model="corners"
      v-model:here="here"
      :drawn="drawn"
      :sectors="bars"
      :length="book.length_m"
      :pit="book.pit"
    />
    <div class="columns">
      <section class="sheet part" aria-labelledby="table-title">
        <div class="line">
          <h2 id="table-title">Corners and sectors</h2>
          <v-btn size="small" variant="outlined" @click="add">Add a corner</v-btn>
        </div>
        <CornerRows
          v-model="corners"
          acts
          :here="here"
          @here="here = $event"
          @merge="corners = merged(corners, $event)"
          @split="corners = split(corners, $event, book.length_m)"
        />
        <SectorFields v-model="sectors">
          <template #behind="{ index }">
            <button
              v-if="index"
              type="button"
              class="link"
              @click="sectors = sectors.filter((_, place) => place !== index)"
            >
              Remove<span class="visually-hidden"> sector {{ sectors[index]?.code }}</span>
            </button>
          </template>
          <button
            type="button"
            class="link"
            @click="sectors = [...sectors, { code: `S${sectors.length + 1}`, start: '' }]"
          >
            Add a sector
          </button>
        </SectorFields>
      </section>
      <div>
        <section class="sheet part" aria-labelledby="does-title">
          <h2 id="does-title">What it does to laps</h2>
          <p v-if="done && !changed" role="status">{{ done }}</p>
          <p v-else-if="!changed" class="quiet">Nothing is changed yet.</p>
          <p v-else-if="bad" class="bad" role="status">{{ bad }}</p>
          <template v-else-if="look.data.value">
            <p v-if="!look.data.value.laps">No lap changes.</p>
            <template v-else>
              <p v-if="look.data.value.lost.length">
                <b>Times of {{ look.data.value.lost.join(', ') }} are lost</b>: they can’t be made from the old ones.
              </p>
              <p v-if="look.data.value.traced">
                {{ count(look.data.value.traced, 'lap') }} with
                {{ look.data.value.traced === 1 ? 'a trace' : 'traces' }}: cut anew at these boundaries, so they keep
                their times.
              </p>
              <p v-for="item in look.data.value.losing" :key="item.combination_id">
                {{ count(item.laps, 'lap') }} with the {{ item.car }}.
              </p>
              <p v-if="look.data.value.summed.length">
                {{ look.data.value.summed.join(', ') }}: exact sums of the earlier parts.
              </p>
              <p v-if="look.data.value.renamed.length">
                Marks move along: {{ look.data.value.renamed.map((item) => `${item.old} → ${item.new}`).join(', ') }}.
              </p>
              <p class="quiet">
                {{ count(look.data.value.laps, 'lap') }} in all; lap and other times stay. It can be taken back as a
                whole.
              </p>
            </template>
          </template>
          <JobProgress v-if="job" :job="job" />
          <TroubleNote :error="look.error.value ?? change.error.value" />
          <div class="buttons">
            <WorkButton
              v-if="!look.data.value"
              color="primary"
              :disabled="!changed || !!bad"
              :loading="look.isPending.value"
              @click="look.mutate()"
              >See what it does</WorkButton
            >
            <WorkButton v-else color="primary" :loading="change.isPending.value" @click="change.mutate()"
              >Change the boundaries</WorkButton
            >
            <v-btn variant="outlined" :disabled="!changed" @click="begin(book)">As it was</v-btn>
          </div>
        </section>
        <section v-if="book.has_centreline" class="sheet part" aria-label="From above">
          <OutlinePart
            :book="book"
            :corners="drawn"
            :sectors="bars"
            :here="String(here)"
            :height="250"
            label="The layout from above, with the boundaries as drawn"
            @pick="here = Number($event)"
          />
        </section>
      </div>
    </div>
  </template>
</template>

<style scoped>
.columns {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 340px;
  gap: 12px;
  align-items: start;
}
.line {
  display: flex;
  gap: 14px;
  align-items: baseline;
}
.line .v-btn {
  margin-left: auto;
}
@media (max-width: 860px) {
  .columns {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
