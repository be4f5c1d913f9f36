<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { answer, api, type Importance } from '@/shared/api/client'
import { plainDay } from '@/shared/format'
import SkeletonRows from '@/shared/parts/SkeletonRows.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import WorkButton from '@/shared/parts/WorkButton.vue'
import { IMPORTANCE } from '@/shared/words'
import { useProfiles, useSeries } from '@/shared/queries'

const props = defineProps<{ seriesId?: string; weekId?: string }>()
const emit = defineEmits<{ close: [] }>()
const queries = useQueryClient()
const shown = ref(true)
const series = useSeries()
const chosen = ref(props.seriesId ?? '')
watch(
  () => series.data.value,
  (list) => (chosen.value ||= list?.items[0]?.id ?? ''),
  { immediate: true },
)
const weeks = useQuery({
  queryKey: ['weeks', chosen],
  enabled: computed(() => !!chosen.value),
  queryFn: () => answer(api.GET('/api/series/{series_id}/weeks', { params: { path: { series_id: chosen.value } } })),
})
const drivers = useProfiles()
const people = computed(() => (drivers.data.value?.items ?? []).filter((item) => !item.guest))
const pickedWeeks = ref<string[]>(props.weekId ? [props.weekId] : [])
const pickedDrivers = ref<string[]>([])
const importance = ref<Importance>('want')
watch(chosen, (id, old) => old && id !== old && (pickedWeeks.value = []))
const now = new Date().toISOString()
const ahead = computed(() =>
  (weeks.data.value?.items ?? []).filter((item) => new Date(item.ends_at).toISOString() > now),
)
const enter = useMutation({
  mutationFn: () =>
    answer(
      api.POST('/api/entries', {
        body: { week_ids: pickedWeeks.value, driver_ids: pickedDrivers.value, importance: importance.value },
      }),
    ),
  onSettled: () =>
    Promise.all(['board', 'steps', 'history'].map((key) => queries.invalidateQueries({ queryKey: [key] }))),
})
</script>

<template>
  <v-dialog v-model="shown" max-width="760" aria-labelledby="enter-title" @after-leave="emit('close')">
    <form class="sheet part" @submit.prevent="enter.mutate()">
      <h2 id="enter-title">Enter drivers</h2>
      <p class="quiet note">For one week or a whole season at once. Who is entered already stays as they are.</p>
      <TroubleNote :error="series.error.value ?? weeks.error.value ?? drivers.error.value" />
      <p v-if="series.data.value && !series.data.value.items.length">There is no series yet. Add one under Seasons.</p>
      <div v-else class="pair">
        <fieldset>
          <legend>
            Weeks of
            <select v-model="chosen" aria-label="Series">
              <option v-for="item in series.data.value?.items" :key="item.id" :value="item.id">{{ item.name }}</option>
            </select>
          </legend>
          <p class="all">
            <button
              type="button"
              class="link"
              :disabled="!ahead.length"
              @click="pickedWeeks = ahead.map((item) => item.id)"
            >
              All that run or come
            </button>
            <button type="button" class="link" @click="pickedWeeks = []">None</button>
          </p>
          <SkeletonRows v-if="weeks.isPending.value && chosen" :rows="6" label="Loading the weeks" />
          <label v-for="item in weeks.data.value?.items" :key="item.id">
            <input v-model="pickedWeeks" type="checkbox" :value="item.id" /> {{ item.facts.week }}:
            {{ plainDay(item.facts.begins) }}
            <span class="quiet">{{ [item.facts.track, item.facts.layout].filter(Boolean).join(', ') }}</span>
          </label>
        </fieldset>
        <fieldset>
          <legend>Drivers</legend>
          <p class="all">
            <button
              type="button"
              class="link"
              :disabled="!people.length"
              @click="pickedDrivers = people.map((item) => item.id)"
            >
              All
            </button>
            <button type="button" class="link" @click="pickedDrivers = []">None</button>
          </p>
          <label v-for="item in people" :key="item.id"
            ><input v-model="pickedDrivers" type="checkbox" :value="item.id" /> {{ item.name }}</label
          >
          <label class="importance"
            >as
            <select v-model="importance" aria-label="Importance">
              <option v-for="(words, key) in IMPORTANCE" :key="key" :value="key">{{ words.words }}</option>
            </select></label
          >
        </fieldset>
      </div>
      <TroubleNote :error="enter.error.value" />
      <p role="status" class="said">{{ enter.data.value ? `${enter.data.value.count} entries made.` : '' }}</p>
      <div class="buttons">
        <WorkButton
          type="submit"
          color="primary"
          :disabled="!pickedWeeks.length || !pickedDrivers.length"
          :loading="enter.isPending.value"
        >
          {{
            pickedWeeks.length && pickedDrivers.length
              ? `Enter ${pickedDrivers.length} in ${pickedWeeks.length} weeks`
              : 'Enter'
          }}
        </WorkButton>
        <v-btn variant="outlined" @click="shown = false">Close</v-btn>
      </div>
    </form>
  </v-dialog>
</template>

<style scoped>
form {
  max-height: 86vh;
  overflow-y: auto;
}
.pair {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(min(100%, 280px), 1fr));
  gap: 18px;
}
fieldset {
  border: 0;
  padding: 0;
  margin: 0;
}
legend {
  font-weight: 600;
}
fieldset > label {
  display: block;
  padding: 2px 0;
}
.all {
  display: flex;
  gap: 12px;
}
.importance {
  margin-top: 8px;
}
.said {
  min-height: 1.4em;
  margin-top: 6px;
}
</style>
