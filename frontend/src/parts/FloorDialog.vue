<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { ref } from 'vue'
import { answer, api } from '@/api/client'
import { lapTime } from '@/format'
import SkeletonRows from '@/parts/SkeletonRows.vue'
import TroubleNote from '@/parts/TroubleNote.vue'
import WorkButton from '@/parts/WorkButton.vue'

const props = defineProps<{ id: string }>()
const emit = defineEmits<{ close: [] }>()
const queries = useQueryClient()
const shown = ref(true)
const path = { combination_id: props.id }
const list = useQuery({ queryKey: ['beyond-floor', () => props.id], queryFn: () => answer(api.GET('/api/combinations/{combination_id}/beyond-floor', { params: { path } })) })
type Asked = NonNullable<typeof list.data.value>['items'][number]
const say = useMutation({
  mutationFn: ({ lap, tow }: { lap: Asked; tow: boolean }) => answer(api.PUT('/api/combinations/{combination_id}/beyond-floor', { params: { path }, body: { ...lap, tow } })),
  onSettled: () => Promise.all(['beyond-floor', 'board', 'analysis', 'driver-laps', 'steps', 'history'].map((key) => queries.invalidateQueries({ queryKey: [key] }))),
})
</script>

<template>
  <v-dialog v-model="shown" max-width="600" aria-labelledby="floor-title" @after-leave="emit('close')">
    <div class="sheet part">
      <h2 id="floor-title">A tow, or a record?</h2>
      <p class="quiet note">These laps are faster than anybody drives alone here. Until somebody says, they are taken for laps in a tow and count for no best lap.</p>
      <SkeletonRows v-if="list.isPending.value" :rows="3" label="Loading the laps" />
      <TroubleNote :error="list.error.value ?? say.error.value" />
      <p v-if="list.data.value && !list.data.value.items.length" role="status">All answered.</p>
      <ul class="plain">
        <li v-for="lap in list.data.value?.items" :key="`${lap.driver_id} ${lap.session} ${lap.run} ${lap.lap}`">
          <span><b class="time">{{ lapTime(lap.time_us) }}</b> {{ lap.driver }} <span class="quiet">session {{ lap.session }}, run {{ lap.run }}, lap {{ lap.lap }}</span></span>
          <span class="answers">
            <WorkButton size="small" variant="outlined" :disabled="say.isPending.value" @click="say.mutate({ lap, tow: true })">In a tow<span class="visually-hidden">: {{ lapTime(lap.time_us) }} of {{ lap.driver }}</span></WorkButton>
            <WorkButton size="small" variant="outlined" color="primary" :disabled="say.isPending.value" @click="say.mutate({ lap, tow: false })">A record<span class="visually-hidden">: {{ lapTime(lap.time_us) }} of {{ lap.driver }}</span></WorkButton>
          </span>
        </li>
      </ul>
      <div class="buttons"><v-btn variant="outlined" @click="shown = false">Close</v-btn></div>
    </div>
  </v-dialog>
</template>

<style scoped>
.answers {
  display: flex;
  gap: 6px;
}
</style>
