<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, reactive, ref } from 'vue'
import { answer, api, version, type Practice } from '@/api/client'
import { asTyped, count, moment, readNumber, temperature, timeOfDay } from '@/format'
import SkeletonRows from '@/parts/SkeletonRows.vue'
import TroubleNote from '@/parts/TroubleNote.vue'
import WorkButton from '@/parts/WorkButton.vue'
import { maySeeAll, useMe } from '@/session'

const props = defineProps<{ id: string }>()
const emit = defineEmits<{ close: [] }>()
const queries = useQueryClient()
const me = useMe()
const shown = ref(true)
const list = useQuery({
  queryKey: ['practices', () => props.id],
  queryFn: () => answer(api.GET('/api/combinations/{combination_id}/sessions', { params: { path: { combination_id: props.id } } })),
})
const editing = ref<Practice>()
const form = reactive({ inside: '', air: '', track: '', wetness: '' })
function edit(row: Practice) {
  editing.value = row
  Object.assign(form, { inside: row.session_local?.slice(0, 16) ?? '', air: asTyped(row.air_temp_c), track: asTyped(row.track_temp_c), wetness: asTyped(row.wetness) })
  save.reset()
}
const bad = computed(() => [form.air, form.track].some((value) => Number.isNaN(readNumber(value) ?? 0)))
const save = useMutation({
  mutationFn: (row: Practice) =>
    answer(
      api.PUT('/api/sessions/{session_id}', {
        params: { path: { session_id: row.id }, header: version(row.version) },
        body: { session_local: form.inside || null, air_temp_c: readNumber(form.air), track_temp_c: readNumber(form.track), wetness: (form.wetness || null) as Practice['wetness'] as 'dry' | null },
      }),
    ),
  onSuccess: () => (editing.value = undefined),
  onSettled: () => Promise.all(['practices', 'combination', 'analysis', 'driver-laps', 'board', 'steps', 'history'].map((key) => queries.invalidateQueries({ queryKey: [key] }))),
})
const seen = (row: Practice) => row.seen as { air_temp_c: number | null; track_temp_c: number | null; wetness: string }
</script>

<template>
  <v-dialog v-model="shown" max-width="820" aria-labelledby="conditions-title" @after-leave="emit('close')">
    <div class="sheet part">
      <h2 id="conditions-title">Sessions and their conditions</h2>
      <p class="quiet note">As the laps say, unless somebody says otherwise of a session as a whole. The board compares them with the race's.</p>
      <SkeletonRows v-if="list.isPending.value" :rows="4" label="Loading the sessions" />
      <TroubleNote :error="list.error.value" :again="() => list.refetch()" />
      <p v-if="list.data.value && !list.data.value.items.length">No session yet.</p>
      <div v-else-if="list.data.value" class="scroll-x" tabindex="0" role="region" aria-label="Sessions">
        <table class="ledger">
          <thead><tr><th scope="col">Session</th><th scope="col">When</th><th scope="col" class="number">Laps</th><th scope="col">Inside</th><th scope="col">Weather</th><th scope="col" class="number">Air</th><th scope="col" class="number">Track</th><th scope="col"><span class="visually-hidden">Actions</span></th></tr></thead>
          <tbody>
            <tr v-for="row in list.data.value.items" :key="row.id">
              <td>{{ row.label }}</td>
              <td>{{ row.first_at ? moment(row.first_at) : 'not known' }}</td>
              <td class="number">{{ row.laps }} <span class="quiet">of {{ count(row.drivers, 'driver') }}</span></td>
              <td>{{ row.session_local ? timeOfDay(row.session_local) : '–' }}</td>
              <td>{{ row.wetness ?? seen(row).wetness }}<span v-if="row.wetness" class="quiet"> (said)</span></td>
              <td class="number">{{ temperature(seen(row).air_temp_c ?? row.air_temp_c) }}</td>
              <td class="number">{{ temperature(seen(row).track_temp_c ?? row.track_temp_c) }}</td>
              <td><button v-if="maySeeAll(me.data.value?.role)" type="button" class="link" @click="edit(row)">Change<span class="visually-hidden"> session {{ row.label }}</span></button></td>
            </tr>
          </tbody>
        </table>
      </div>
      <form v-if="editing" class="edit" @submit.prevent="save.mutate(editing)">
        <h3>Session {{ editing.label }}</h3>
        <label>Inside the simulation <input v-model="form.inside" class="field" type="datetime-local" /></label>
        <label>Weather <select v-model="form.wetness"><option value="">as the laps say</option><option>dry</option><option>damp</option><option>wet</option></select></label>
        <label>Air, °C <input v-model="form.air" class="field" size="5" inputmode="decimal" /></label>
        <label>Track, °C <input v-model="form.track" class="field" size="5" inputmode="decimal" /></label>
        <TroubleNote :error="save.error.value" />
        <div class="buttons">
          <WorkButton size="small" type="submit" color="primary" :disabled="bad" :loading="save.isPending.value">Keep</WorkButton>
          <v-btn size="small" variant="outlined" @click="editing = undefined">Leave it</v-btn>
        </div>
      </form>
      <div class="buttons"><v-btn variant="outlined" @click="shown = false">Close</v-btn></div>
    </div>
  </v-dialog>
</template>

<style scoped>
.edit {
  margin-top: 10px;
  display: flex;
  flex-wrap: wrap;
  gap: 6px 16px;
  align-items: center;
}
.edit h3,
.edit .buttons {
  flex-basis: 100%;
  font-size: 0.98rem;
}
</style>
