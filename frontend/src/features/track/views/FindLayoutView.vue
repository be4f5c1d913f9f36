<script setup lang="ts">
import { useMutation, useQuery } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { RouterLink, useRoute, useRouter } from 'vue-router'
import { answer, api, fileBody, type FoundLayout, type Job } from '@/shared/api/client'
import { follow } from '@/shared/api/jobs'
import { useSettled } from '@/features/track/book'
import { wrongIn, type CornerDraft, type SectorDraft } from '@/features/track/boundaries'
import type { StripCorner } from '@/shared/charts/LapStrip.vue'
import TrackOutline from '@/shared/charts/TrackOutline.vue'
import { forgetDraft } from '@/shared/drafts'
import { asTyped, count, readNumber } from '@/shared/format'
import { leaveFound, type FoundTrack } from '@/features/track/found'
import FileDrop from '@/shared/parts/FileDrop.vue'
import JobProgress from '@/shared/parts/JobProgress.vue'
import SkeletonRows from '@/shared/parts/SkeletonRows.vue'
import BoundaryStrip from '@/features/track/parts/BoundaryStrip.vue'
import CornerRows from '@/features/track/parts/CornerRows.vue'
import SectorFields from '@/features/track/parts/SectorFields.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import WorkButton from '@/shared/parts/WorkButton.vue'
import { begun, send, type Going } from '@/shared/uploads'

/** A layout found from traces: of a file, or of the laps driven on one that is there. Looked at, corrected on the picture, then kept. */
const route = useRoute()
const router = useRouter()
const settled = useSettled()
const layout = computed(() => (typeof route.query.layout === 'string' ? route.query.layout : ''))
const upload = computed(() => (typeof route.query.upload === 'string' ? route.query.upload : ''))
const ofLayout = useQuery({
  queryKey: ['found', layout],
  enabled: computed(() => !!layout.value),
  staleTime: Infinity,
  queryFn: () => answer(api.GET('/api/layouts/{layout_id}/found', { params: { path: { layout_id: layout.value } } })),
})
const ofUpload = useQuery({
  queryKey: ['upload', upload],
  enabled: computed(() => !!upload.value),
  queryFn: () => answer(api.GET('/api/uploads/{upload_id}', { params: { path: { upload_id: upload.value } } })),
})
const found = computed<FoundLayout | undefined>(() =>
  layout.value ? ofLayout.data.value : (ofUpload.data.value?.found ?? undefined),
)
const going = ref<Going>()
const job = ref<Job>()
const bring = useMutation({
  mutationFn: async (file: File) => {
    going.value = begun(file)
    const id = await send(file, null, going.value)
    const started = await answer(api.POST('/api/uploads/{upload_id}/layout', { params: { path: { upload_id: id } } }))
    await follow(started, (now) => (job.value = now))
    await router.replace({ query: { upload: id } })
  },
  onSettled: () => (going.value = undefined),
})

const corners = ref<CornerDraft[]>([])
const sectors = ref<SectorDraft[]>([])
const track = ref('')
const name = ref('')
const kind = ref('road')
const here = ref(0)
const shape = computed(() => found.value?.track as unknown as FoundTrack | undefined)
watch(
  shape,
  (told) => {
    if (!told || corners.value.length) return
    corners.value = told.corners.map((corner) => ({
      id: null,
      code: corner.code,
      name: corner.name ?? '',
      start: asTyped(corner.start_m),
      apex: asTyped(corner.apex_m),
      end: asTyped(corner.end_m),
      direction: corner.direction ?? '',
      linked: corner.linked_to_next ?? false,
    }))
    sectors.value = told.sectors.map((sector) => ({ code: sector.code, start: asTyped(sector.start_m) }))
    track.value = layout.value ? told.name : ''
    name.value = layout.value ? `${told.layout} (found)` : ''
    kind.value = told.kind
  },
  { immediate: true },
)
const metres = (text: string) => readNumber(text) ?? 0
const drawn = computed<StripCorner[]>(() =>
  corners.value.map((row, index) => ({
    key: String(index),
    code: row.code,
    name: row.name,
    start_m: metres(row.start),
    apex_m: metres(row.apex),
    end_m: metres(row.end),
    direction: row.direction || null,
    level: 'medium',
    rank: index,
  })),
)
const bars = computed(() => sectors.value.map((item) => ({ code: item.code, start_m: metres(item.start) })))
const outline = computed(() =>
  shape.value?.centreline
    ? {
        step_m: shape.value.centreline.step_m,
        x_m: shape.value.centreline.xy_m.map(([x]) => x),
        y_m: shape.value.centreline.xy_m.map(([, y]) => y),
      }
    : undefined,
)
/** How much the road bends, as it was measured. */
const CURVE_HIGH = 60
const curve = computed(() => {
  const bends = found.value?.curvature ?? []
  const most = Math.max(0.01, ...bends.map(Math.abs))
  return bends
    .map(
      (bend, index) =>
        `${index ? 'L' : 'M'}${((index / bends.length) * 1000).toFixed(1)} ${(CURVE_HIGH / 2 - (bend / most) * (CURVE_HIGH / 2 - 2)).toFixed(1)}`,
    )
    .join('')
})
const bad = computed(
  () =>
    wrongIn(corners.value, sectors.value) ||
    (!track.value.trim() || !name.value.trim() ? 'Give the track and the layout a name.' : ''),
)
function meant(): FoundTrack {
  return {
    ...shape.value!,
    name: track.value.trim(),
    layout: name.value.trim(),
    kind: kind.value.trim() || 'road',
    sectors: sectors.value.map((row) => ({ code: row.code.trim(), start_m: metres(row.start) })),
    corners: corners.value.map((row) => ({
      code: row.code.trim(),
      ...(row.name.trim() ? { name: row.name.trim() } : {}),
      start_m: metres(row.start),
      apex_m: metres(row.apex),
      end_m: metres(row.end),
      ...(row.direction ? { direction: row.direction as 'left' | 'right' } : {}),
      ...(row.linked ? { linked_to_next: true } : {}),
    })),
  }
}
const keep = useMutation({
  mutationFn: () =>
    answer(
      api.POST(
        '/api/layouts',
        fileBody(new File([JSON.stringify(meant())], 'found.track.json', { type: 'application/json' })) as never,
      ),
    ),
  onSuccess: async (made) => {
    forgetDraft(`found ${layout.value || upload.value}`)
    await settled()
    await router.push({ name: 'track', params: { id: (made as { id: string }).id } })
  },
})
/** Into the boundaries of the layout that is there: looked at once more there, since laps are cut anew. */
function take() {
  leaveFound(meant())
  void router.push({ name: 'boundaries', params: { id: layout.value } })
}
const LEFT_OUT: Record<string, string> = {
  short: 'not whole',
  no_place: 'without places',
  pit: 'out and in laps, used for the pit lane',
}
</script>

<template>
  <div class="top">
    <h1>A layout from traces</h1>
    <p class="quiet"><RouterLink to="/tracks">All tracks</RouterLink></p>
  </div>
  <section v-if="!layout && !found" class="sheet part">
    <FileDrop
      label="Choose a telemetry file"
      accept=".parquet,.csv"
      :busy="bring.isPending.value"
      hint="a few whole laps with places (x, y), or speed and yaw rate"
      @file="bring.mutate($event)"
    />
    <p class="quiet note">
      The length, the line and the corners are measured; you name and correct them, then keep the layout. Out and in
      laps show the pit lane.
    </p>
    <v-progress-linear
      v-if="going && going.sent < going.size"
      :model-value="(100 * going.sent) / going.size"
      :aria-label="`Sending ${going.name}`"
      rounded
      height="8"
    />
    <JobProgress v-if="job" :job="job" />
  </section>
  <TroubleNote
    :error="bring.error.value ?? ofLayout.error.value ?? ofUpload.error.value"
    :again="layout ? () => ofLayout.refetch() : undefined"
  />
  <SkeletonRows
    v-if="(layout && ofLayout.isPending.value) || (upload && ofUpload.isPending.value)"
    :rows="10"
    label="Finding the layout"
  />
  <p v-else-if="upload && ofUpload.data.value && !found" class="quiet">No layout was found from this file yet.</p>
  <template v-if="found && shape">
    <p class="said">
      {{ count(corners.length, 'corner') }} on {{ shape.length_m.toFixed(1) }} m, from {{ count(found.used, 'lap') }} by
      {{ found.by === 'places' ? 'the places driven' : 'speed and yaw rate'
      }}<template v-for="(number, reason) in found.left_out" :key="reason"
        >; {{ number }} {{ LEFT_OUT[reason] ?? reason }}</template
      >.
      <template v-if="shape.pit">
        Pit lane on the {{ shape.pit.side }} from {{ Math.round(shape.pit.entry_m) }} to
        {{ Math.round(shape.pit.exit_m) }} m, at {{ shape.pit.limit_kmh }} km/h.</template
      >
      <template v-else> No pit lane was seen.</template>
    </p>
    <BoundaryStrip
      v-model="corners"
      v-model:here="here"
      :drawn="drawn"
      :sectors="bars"
      :length="shape.length_m"
      :pit="shape.pit"
    />
    <svg
      class="curve"
      viewBox="0 0 1000 60"
      preserveAspectRatio="none"
      role="img"
      aria-label="How much the road bends, left up, right down"
    >
      <line x1="0" x2="1000" y1="30" y2="30" />
      <path :d="curve" />
    </svg>
    <div v-draft="`found ${layout || upload}`" class="columns">
      <section class="sheet part" aria-labelledby="corners-title">
        <h2 id="corners-title">Corners and sectors</h2>
        <CornerRows v-model="corners" :here="here" @here="here = $event" />
        <SectorFields v-model="sectors" />
      </section>
      <div>
        <section v-if="outline" class="sheet part" aria-label="From above">
          <TrackOutline
            :outline="outline"
            :length="shape.length_m"
            :corners="drawn"
            :sectors="bars"
            :pit="shape.pit"
            :here="String(here)"
            :height="300"
            label="The layout that was found, from above"
            @pick="here = Number($event)"
          />
        </section>
        <section class="sheet part" aria-labelledby="keep-title">
          <h2 id="keep-title">Keep it</h2>
          <template v-if="layout">
            <WorkButton color="primary" :disabled="!!wrongIn(corners, sectors)" @click="take"
              >Take these boundaries into {{ shape.layout }}</WorkButton
            >
            <p class="quiet note">
              You see there what it does to laps before anything changes. Or keep it beside, as a layout of its own:
            </p>
          </template>
          <p class="names">
            <label>Track <input v-model="track" class="field" maxlength="120" /></label>
            <label>Layout <input v-model="name" class="field" maxlength="120" /></label>
            <label>Kind <input v-model="kind" class="field" maxlength="40" size="10" /></label>
          </p>
          <p v-if="bad" class="quiet">{{ bad }}</p>
          <WorkButton
            :color="layout ? undefined : 'primary'"
            :variant="layout ? 'outlined' : undefined"
            :disabled="!!bad"
            :loading="keep.isPending.value"
            @click="keep.mutate()"
            >Add this layout</WorkButton
          >
          <TroubleNote :error="keep.error.value" />
        </section>
      </div>
    </div>
  </template>
</template>

<style scoped>
.top {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 2px 14px;
  margin-bottom: 8px;
}
.said {
  margin-bottom: 8px;
}
.curve {
  width: 100%;
  height: 46px;
  margin-bottom: 8px;
}
.curve path {
  fill: none;
  stroke: var(--ink);
  stroke-width: 1.4;
  vector-effect: non-scaling-stroke;
}
.curve line {
  stroke: var(--rule);
}
.columns {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 380px;
  gap: 12px;
  align-items: start;
}
.names {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 16px;
  margin: 8px 0;
}
.names label {
  display: grid;
  font-size: 0.9rem;
}
@media (max-width: 860px) {
  .columns {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
