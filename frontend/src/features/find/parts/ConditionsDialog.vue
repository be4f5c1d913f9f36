<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { ref } from 'vue'
import { answer, api, type Practice } from '@/shared/api/client'
import { count, moment, temperature, timeOfDay } from '@/shared/format'
import SessionForm from '@/features/drive/parts/SessionForm.vue'
import SkeletonRows from '@/shared/parts/SkeletonRows.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import { useMay } from '@/shared/session'

const props = defineProps<{ id: string }>()
const emit = defineEmits<{ close: [] }>()
const may = useMay()
const shown = ref(true)
const list = useQuery({
  queryKey: ['practices', () => props.id],
  queryFn: () =>
    answer(api.GET('/api/combinations/{combination_id}/sessions', { params: { path: { combination_id: props.id } } })),
})
const editing = ref<Practice>()
const seen = (row: Practice) => row.seen as { air_temp_c: number | null; track_temp_c: number | null; wetness: string }
</script>

<template>
  <v-dialog v-model="shown" max-width="820" aria-labelledby="conditions-title" @after-leave="emit('close')">
    <div class="sheet part">
      <h2 id="conditions-title">Sessions and their conditions</h2>
      <p class="quiet note">
        As the laps say, unless somebody says otherwise of a session as a whole. The board compares them with the
        race's.
      </p>
      <SkeletonRows v-if="list.isPending.value" :rows="4" label="Loading the sessions" />
      <TroubleNote :error="list.error.value" :again="() => list.refetch()" />
      <p v-if="list.data.value && !list.data.value.items.length">No session yet.</p>
      <div v-else-if="list.data.value" class="scroll-x" tabindex="0" role="region" aria-label="Sessions">
        <table class="ledger">
          <thead>
            <tr>
              <th scope="col">Session</th>
              <th scope="col">When</th>
              <th scope="col" class="number">Laps</th>
              <th scope="col">Inside</th>
              <th scope="col">Weather</th>
              <th scope="col" class="number">Air</th>
              <th scope="col" class="number">Track</th>
              <th scope="col"><span class="visually-hidden">Actions</span></th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="row in list.data.value.items" :key="row.id">
              <td>{{ row.label }}</td>
              <td>{{ row.first_at ? moment(row.first_at) : 'not known' }}</td>
              <td class="number">
                {{ row.laps }} <span class="quiet">of {{ count(row.drivers, 'driver') }}</span>
              </td>
              <td>{{ row.session_local ? timeOfDay(row.session_local) : '–' }}</td>
              <td>
                {{
                  row.weather.length
                    ? row.weather.map((item) => item.wetness).join(', then ')
                    : (row.wetness ?? seen(row).wetness)
                }}<span v-if="row.wetness || row.weather.length" class="quiet"> (said)</span>
              </td>
              <td class="number">{{ temperature(seen(row).air_temp_c ?? row.air_temp_c) }}</td>
              <td class="number">{{ temperature(seen(row).track_temp_c ?? row.track_temp_c) }}</td>
              <td>
                <button v-if="may('session.change')" type="button" class="link" @click="editing = row">
                  Change<span class="visually-hidden"> session {{ row.label }}</span>
                </button>
              </td>
            </tr>
          </tbody>
        </table>
      </div>
      <section v-if="editing" class="edit" aria-labelledby="edit-title">
        <h3 id="edit-title">Session {{ editing.label }}</h3>
        <SessionForm :key="editing.id" :practice="editing" @close="editing = undefined" />
      </section>
      <div class="buttons"><v-btn variant="outlined" @click="shown = false">Close</v-btn></div>
    </div>
  </v-dialog>
</template>

<style scoped>
.edit {
  margin-top: 10px;
}
.edit h3 {
  font-size: 0.98rem;
}
</style>
