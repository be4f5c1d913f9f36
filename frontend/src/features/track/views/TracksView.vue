<script setup lang="ts">
import { useMutation } from '@tanstack/vue-query'
import { computed, reactive, ref } from 'vue'
import { RouterLink, useRouter } from 'vue-router'
import { answer, api, fileBody, type Layout } from '@/shared/api/client'
import { useSettled } from '@/features/track/book'
import { meant, sectorsMeant, wrongIn, type CornerDraft, type SectorDraft } from '@/features/track/boundaries'
import { count, length, readNumber } from '@/shared/format'
import FileDrop from '@/shared/parts/FileDrop.vue'
import SkeletonRows from '@/shared/parts/SkeletonRows.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import CornerRows from '@/features/track/parts/CornerRows.vue'
import SectorFields from '@/features/track/parts/SectorFields.vue'
import WorkButton from '@/shared/parts/WorkButton.vue'
import { useMay } from '@/shared/session'
import { useLayouts } from '@/shared/queries'

const router = useRouter()
const settled = useSettled()
const may = useMay()
const all = computed(() => may('track.add'))
const list = useLayouts()
const tracks = computed(() => {
  const out = new Map<string, Layout[]>()
  for (const item of list.data.value?.items ?? []) out.set(item.track, [...(out.get(item.track) ?? []), item])
  return [...out]
})
const drawing = ref(false)
const send = useMutation({
  mutationFn: (file: File) => answer(api.POST('/api/layouts', fileBody(file))),
  onSuccess: (made) => router.push({ name: 'track', params: { id: made.id } }),
  onSettled: settled,
})
const form = reactive({
  track: '',
  layout: '',
  kind: 'road',
  length: '',
  sectors: [{ code: 'S1', start: '0' }] as SectorDraft[],
})
const corners = ref<CornerDraft[]>([])
const bad = computed(() => {
  if (!form.track.trim() || !form.layout.trim()) return 'Track and layout have names.'
  if (!((readNumber(form.length) ?? Number.NaN) > 0)) return 'The lap has a length in metres.'
  return wrongIn(corners.value, form.sectors)
})
const make = useMutation({
  mutationFn: () => {
    const made = corners.value.map((row) => {
      const { code, name, start_m, apex_m, end_m, direction, linked_to_next } = meant(row)
      return { code, name, start_m, apex_m, end_m, direction, linked_to_next }
    })
    return answer(
      api.POST('/api/layouts/by-hand', {
        body: {
          track: form.track,
          layout: form.layout,
          kind: form.kind || 'road',
          length_m: readNumber(form.length) ?? 0,
          sectors: sectorsMeant(form.sectors),
          corners: made,
          pit: null,
        },
      }),
    )
  },
  onSuccess: (made) => router.push({ name: 'track', params: { id: made.id } }),
  onSettled: settled,
})
</script>

<template>
  <div class="head">
    <h1>Tracks</h1>
    <v-btn v-if="all" size="small" variant="outlined" color="primary" @click="drawing = !drawing">{{
      drawing ? 'Leave it' : 'Draw one up by hand'
    }}</v-btn>
    <v-btn v-if="all" size="small" variant="outlined" color="primary" :to="{ name: 'find-layout' }"
      >Find one in telemetry</v-btn
    >
  </div>
  <FileDrop
    v-if="all && !drawing"
    class="drop"
    label="Track file"
    accept=".json"
    :busy="send.isPending.value"
    hint="*.track.json"
    @file="send.mutate($event)"
  />
  <TroubleNote :error="list.error.value ?? send.error.value" />
  <form v-if="drawing" v-draft="'new layout'" class="sheet part" @submit.prevent="make.mutate()">
    <h2>A layout by hand</h2>
    <div class="fields">
      <label>Track <input v-model="form.track" class="field" maxlength="120" /></label>
      <label>Layout <input v-model="form.layout" class="field" maxlength="120" /></label>
      <label>Kind <input v-model="form.kind" class="field" maxlength="40" placeholder="street, road, oval" /></label>
      <label
        >Length of the lap, m <input v-model="form.length" v-reads class="field" inputmode="decimal" maxlength="9"
      /></label>
    </div>
    <h3>Sectors</h3>
    <SectorFields v-model="form.sectors">
      <button type="button" class="link" @click="form.sectors.push({ code: `S${form.sectors.length + 1}`, start: '' })">
        Add a sector
      </button>
      <button v-if="form.sectors.length > 1" type="button" class="link" @click="form.sectors.pop()">
        Remove the last one
      </button>
    </SectorFields>
    <h3>Corners</h3>
    <CornerRows v-model="corners" />
    <TroubleNote :error="make.error.value" />
    <div class="buttons">
      <WorkButton type="submit" color="primary" :disabled="!!bad" :loading="make.isPending.value">Add it</WorkButton>
      <span class="quiet" role="status">{{ bad }}</span>
    </div>
  </form>
  <SkeletonRows v-if="list.isPending.value" :rows="6" label="Loading the tracks" />
  <section v-else-if="list.data.value && !tracks.length && !drawing" class="sheet empty">
    <h2>No track yet</h2>
    <p>Add a track file, or draw a layout up from a table of corners. Laps, references and plans hang on it.</p>
  </section>
  <div class="tracks">
    <section v-for="[name, layouts] in tracks" :key="name" class="sheet part" :aria-label="name">
      <h2>{{ name }}</h2>
      <ul class="plain">
        <li v-for="item in layouts" :key="item.id">
          <RouterLink :to="{ name: 'track', params: { id: item.id } }">{{ item.layout }}</RouterLink>
          <span class="quiet"
            >{{ item.kind }} · {{ length(item.length_m) }} · {{ count(item.corners, 'corner') }} ·
            {{ count(item.sectors, 'sector') }}</span
          >
        </li>
      </ul>
    </section>
  </div>
</template>

<style scoped>
.head {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 18px;
  margin-bottom: 8px;
}
.head h1 {
  margin-right: auto;
}
.drop {
  margin-bottom: 12px;
}
.tracks {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(min(100%, 380px), 1fr));
  gap: 12px;
}
.tracks .part {
  margin: 0;
}
h3 {
  font-size: 0.98rem;
  margin-top: 8px;
}
</style>
