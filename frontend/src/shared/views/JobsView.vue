<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed } from 'vue'
import { answer, api, type Job } from '@/shared/api/client'
import { isOver } from '@/shared/api/jobs'
import { count, moment } from '@/shared/format'
import SkeletonRows from '@/shared/parts/SkeletonRows.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'

const queries = useQueryClient()
const list = useQuery({
  queryKey: ['jobs'],
  queryFn: () => answer(api.GET('/api/jobs')),
  // Beside the live events: progress should move even where those come late.
  refetchInterval: (query) => (query.state.data?.items.some((job) => !isOver(job)) ? 1500 : false),
})
const jobs = computed(() => list.data.value?.items ?? [])
const after = { onSettled: () => queries.invalidateQueries({ queryKey: ['jobs'] }) }
const cancel = useMutation({
  mutationFn: (id: string) => answer(api.POST('/api/jobs/{job_id}/cancel', { params: { path: { job_id: id } } })),
  ...after,
})
const retry = useMutation({
  mutationFn: (id: string) => answer(api.POST('/api/jobs/{job_id}/retry', { params: { path: { job_id: id } } })),
  ...after,
})
const stateWords: Record<Job['state'], string> = {
  waiting: 'waits its turn',
  running: 'at work',
  done: 'done',
  failed: 'did not work',
  cancelled: 'cancelled',
}
function outcome(job: Job): string {
  if (job.trouble) return job.trouble
  if (!isOver(job)) return job.cancel_asked ? 'is being cancelled' : (job.doing ?? '')
  if (job.kind === 'laps.import' && job.result)
    return `${count(job.result.added, 'lap')} added${job.result.set_aside ? `, ${count(job.result.set_aside, 'row')} set aside` : ''}`
  if (job.kind === 'team.package' && job.result) return `${job.result.file}, to be fetched under People`
  if (job.kind === 'team.bring' && job.result) return `${job.result.team} came in`
  return job.kind === 'history.undo' || job.kind === 'history.redo' ? (job.result?.summary ?? '') : ''
}
function to(job: Job) {
  const id = job.kind === 'laps.import' || job.kind === 'telemetry.import' ? job.result?.combination_id : undefined
  return id ? { name: 'combination', params: { id } } : undefined
}
</script>

<template>
  <h1>Background work</h1>
  <p class="quiet note">
    Imports and whatever takes longer than a moment. It goes on when you leave the page, and after the server was
    stopped; each piece ends whole or leaves nothing behind.
  </p>
  <SkeletonRows v-if="list.isPending.value" :rows="4" label="Loading the background work" />
  <TroubleNote
    :error="list.error.value ?? cancel.error.value ?? retry.error.value"
    :again="list.error.value ? () => list.refetch() : undefined"
  />
  <section v-if="list.data.value && !jobs.length" class="sheet empty">
    <h2>Nothing yet</h2>
    <p class="note">When somebody imports a lap file, its progress stands here.</p>
    <v-btn color="primary" to="/drive">Add laps</v-btn>
  </section>
  <div v-else-if="jobs.length" class="scroll-x sheet" tabindex="0" role="region" aria-label="List of background work">
    <table class="ledger">
      <thead>
        <tr>
          <th scope="col">What</th>
          <th scope="col">By</th>
          <th scope="col">Begun</th>
          <th scope="col">State</th>
          <th scope="col">How it went</th>
          <th scope="col"><span class="visually-hidden">Actions</span></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="job in jobs" :key="job.id">
          <td>
            <RouterLink v-if="to(job)" :to="to(job)!">{{ job.name }}</RouterLink><template v-else>{{
              job.name
            }}</template>
          </td>
          <td>{{ job.person }}</td>
          <td class="when">{{ moment(job.made_at) }}</td>
          <td :class="{ bad: job.state === 'failed' }">
            {{ stateWords[job.state] }}
            <v-progress-linear
              v-if="!isOver(job)"
              :model-value="job.progress * 100"
              :indeterminate="job.state === 'waiting'"
              :aria-label="job.name"
              class="mt-1"
            />
          </td>
          <td>{{ outcome(job) }}</td>
          <td>
            <v-btn
              v-if="!isOver(job)"
              size="small"
              variant="outlined"
              :disabled="job.cancel_asked"
              @click="cancel.mutate(job.id)"
              >Cancel<span class="visually-hidden">: {{ job.name }}</span></v-btn
            >
            <v-btn v-else-if="job.state !== 'done'" size="small" variant="outlined" @click="retry.mutate(job.id)"
              >Try again<span class="visually-hidden">: {{ job.name }}</span></v-btn
            >
          </td>
        </tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.when {
  white-space: nowrap;
}
.bad {
  color: var(--loss);
  font-weight: 600;
}
</style>
