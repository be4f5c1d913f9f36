<script setup lang="ts">
import { useMutation } from '@tanstack/vue-query'
import { answer, api, version } from '@/shared/api/client'
import { count } from '@/shared/format'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import { useCombination, useCombinationChanged } from '@/shared/queries'

/** Takes a proposal over: so many laps of a run count as cold in this combination, and all else stays as it is set. */
const props = defineProps<{ id: string; laps: number }>()
const changed = useCombinationChanged()
const combination = useCombination(() => props.id)
const take = useMutation({
  mutationFn: () => {
    const row = combination.data.value!
    const set = (name: string) => (row.settings[name] as number | undefined) ?? null
    return answer(
      api.PUT('/api/combinations/{combination_id}', {
        params: { path: { combination_id: props.id }, header: version(row.version) },
        body: {
          note: row.note,
          cold_laps: props.laps,
          cold_seconds: null,
          solo_floor_s: set('solo_floor_s'),
          condition_minutes: set('condition_minutes'),
          condition_air_c: set('condition_air_c'),
          condition_track_c: set('condition_track_c'),
          hand_timed_ideals: set('hand_timed_ideals'),
          thresholds: null,
        },
      }),
    )
  },
  onSuccess: changed,
})
</script>

<template>
  <v-btn
    variant="outlined"
    color="primary"
    size="small"
    :disabled="!combination.data.value"
    :loading="take.isPending.value"
    @click="take.mutate()"
    >Count {{ count(laps, 'lap') }} as cold</v-btn
  >
  <TroubleNote :error="take.error.value" />
</template>
