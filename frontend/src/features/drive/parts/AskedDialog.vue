<script setup lang="ts">
import { useMutation, useQuery } from '@tanstack/vue-query'
import { ref } from 'vue'
import { RouterLink } from 'vue-router'
import { answer, api, type AskedLap } from '@/shared/api/client'
import { lapTime } from '@/shared/format'
import SkeletonRows from '@/shared/parts/SkeletonRows.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import WorkButton from '@/shared/parts/WorkButton.vue'
import { runPlace, useRunsSettled } from '@/features/drive/runs'

/** What only people can know of laps. Until somebody says, the marks wait; what is said can be taken back. */
const props = defineProps<{ id: string }>()
const emit = defineEmits<{ close: [] }>()
const settled = useRunsSettled()
const shown = ref(true)
const list = useQuery({
  queryKey: ['questions', () => props.id],
  queryFn: () =>
    answer(api.GET('/api/combinations/{combination_id}/questions', { params: { path: { combination_id: props.id } } })),
})
const say = useMutation({
  mutationFn: ({ lap, said }: { lap: AskedLap; said: string }) =>
    answer(
      api.PUT('/api/sessions/{session_id}/drivers/{driver_id}/runs/{number}/laps/{lap}/answer', {
        params: { path: { session_id: lap.session_id, driver_id: lap.driver_id, number: lap.run, lap: lap.lap } },
        body: { kind: lap.kind, answer: said, corner: lap.corner },
      }),
    ),
  onSettled: settled,
})
const sentence = (words: string) => words.charAt(0).toUpperCase() + words.slice(1)
const keyOf = (lap: AskedLap) => ({ session_id: lap.session_id, driver_id: lap.driver_id, number: lap.run })
</script>

<template>
  <v-dialog v-model="shown" max-width="680" aria-labelledby="asked-title" @after-leave="emit('close')">
    <div class="sheet part">
      <h2 id="asked-title">What was it?</h2>
      <p class="quiet note">
        Only who drove or watched can know. Until somebody says: a lap too fast to be driven alone is taken for one in a
        tow, and nothing else is supposed.
      </p>
      <SkeletonRows v-if="list.isPending.value" :rows="3" label="Loading the laps" />
      <TroubleNote :error="list.error.value ?? say.error.value" />
      <p v-if="list.data.value && !list.data.value.items.length" role="status">All answered.</p>
      <ul class="plain">
        <li
          v-for="lap in list.data.value?.items"
          :key="`${lap.kind} ${lap.session_id} ${lap.driver_id} ${lap.run} ${lap.lap}`"
        >
          <span class="what"
            ><b class="time">{{ lapTime(lap.time_us) }}</b> {{ lap.driver }}
            <RouterLink class="quiet" :to="runPlace(id, keyOf(lap))" @click="shown = false"
              >session {{ lap.session }}, run {{ lap.run }}, lap {{ lap.lap }}</RouterLink
            ><br />{{ lap.words }}</span
          >
          <span class="answers">
            <WorkButton
              v-for="item in lap.answers"
              :key="item.answer"
              size="small"
              variant="outlined"
              :disabled="say.isPending.value"
              @click="say.mutate({ lap, said: item.answer })"
              >{{ sentence(item.words)
              }}<span class="visually-hidden">: {{ lapTime(lap.time_us) }} of {{ lap.driver }}</span></WorkButton
            >
          </span>
        </li>
      </ul>
      <div class="buttons"><v-btn variant="outlined" @click="shown = false">Close</v-btn></div>
    </div>
  </v-dialog>
</template>

<style scoped>
.what {
  flex: 1 1 300px;
}
.answers {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
}
</style>
