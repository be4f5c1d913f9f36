<script setup lang="ts">
import { useMutation } from '@tanstack/vue-query'
import { answer, api, type Job } from '@/shared/api/client'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import WorkButton from '@/shared/parts/WorkButton.vue'

const props = defineProps<{ job: Job }>()
const cancel = useMutation({
  mutationFn: () => answer(api.POST('/api/jobs/{job_id}/cancel', { params: { path: { job_id: props.job.id } } })),
})
</script>

<template>
  <div class="sheet job" role="status">
    <p>
      <b>{{ job.name }}</b>
      <span class="quiet">{{
        job.cancel_asked || cancel.isSuccess.value
          ? 'is being cancelled'
          : (job.doing ?? (job.state === 'waiting' ? 'waits its turn' : 'has begun'))
      }}</span>
    </p>
    <div class="line">
      <v-progress-linear
        :model-value="job.progress * 100"
        :indeterminate="job.state === 'waiting'"
        :aria-label="job.name"
        rounded
        height="8"
      />
      <WorkButton
        size="small"
        variant="outlined"
        :disabled="job.cancel_asked"
        :loading="cancel.isPending.value"
        @click="cancel.mutate()"
        >Cancel<span class="visually-hidden">: {{ job.name }}</span></WorkButton
      >
    </div>
    <p class="quiet small">You can leave this page; the work goes on.</p>
    <TroubleNote :error="cancel.error.value" />
  </div>
</template>

<style scoped>
.job {
  padding: 10px 16px 12px;
  margin: 10px 0;
}
.line {
  display: flex;
  align-items: center;
  gap: 14px;
}
.small {
  font-size: 0.88rem;
}
</style>
