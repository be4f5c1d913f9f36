<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { answer, api, type LiveRun } from '@/shared/api/client'
import RemarkForm from '@/features/drive/parts/RemarkForm.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import { runPath } from '@/features/drive/runs'

/** A remark by somebody who watches: on the lap that came last, unless another is chosen. */
const props = defineProps<{ run: LiveRun }>()
const emit = defineEmits<{ close: [] }>()
const key = computed(() => ({
  session_id: props.run.session_id,
  driver_id: props.run.driver_id,
  number: props.run.number,
}))
/** New laps don't turn what is being written to another lap. */
const laps = props.run.laps.map((lap) => lap.number).reverse()
const sheet = useQuery({
  queryKey: ['run', key],
  queryFn: () =>
    answer(
      api.GET('/api/sessions/{session_id}/drivers/{driver_id}/runs/{number}', { params: { path: runPath(key.value) } }),
    ),
})
</script>

<template>
  <TroubleNote :error="sheet.error.value" :again="() => sheet.refetch()" />
  <RemarkForm
    v-if="sheet.data.value"
    :sheet="sheet.data.value"
    :run-key="key"
    :lap="laps[0]!"
    :laps="laps"
    @close="emit('close')"
  />
</template>
