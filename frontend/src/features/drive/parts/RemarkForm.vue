<script setup lang="ts">
import { useMutation } from '@tanstack/vue-query'
import { computed, onMounted, reactive, ref } from 'vue'
import { answer, api, type RunSheet } from '@/shared/api/client'
import type { PartFlag } from '@/shared/api/words'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import WorkButton from '@/shared/parts/WorkButton.vue'
import { nameOf, runPath, useRunsSettled, type RunKey } from '@/features/drive/runs'

/** What somebody says of a lap, while watching or after the run: where, what, where it began, and what it came from. */
const props = defineProps<{ sheet: RunSheet; runKey: RunKey; lap: number; laps?: number[] }>()
const emit = defineEmits<{ close: [] }>()
const settled = useRunsSettled()
const form = reactive({ lap: props.lap, corner: '', kind: '', cause: '', because: '', text: '' })
/** What others did in a corner spoils that part alone. */
const PART_FLAGS: Record<PartFlag, true> = { tow: true, traffic: true, yellow: true }
const inPart = computed(() => !!form.corner && form.because in PART_FLAGS)
const first = ref<HTMLSelectElement>()
onMounted(() => first.value?.focus())
const save = useMutation({
  mutationFn: () =>
    answer(
      api.POST('/api/sessions/{session_id}/drivers/{driver_id}/runs/{number}/laps/{lap}/remarks', {
        params: { path: { ...runPath(props.runKey), lap: form.lap } },
        body: {
          corner: form.corner || null,
          kind: form.kind || null,
          cause_corner: (form.kind && form.cause) || null,
          because: (form.because || null) as 'traffic' | null,
          text: form.text.trim() || null,
        },
      }),
    ),
  onSuccess: () => emit('close'),
  onSettled: settled,
})
</script>

<template>
  <form
    v-draft.esc="`remark ${lap} of ${nameOf(runKey)}`"
    class="sheet part"
    aria-label="Remark"
    @submit.prevent="save.mutate()"
    @keydown.esc="emit('close')"
  >
    <h2>Remark on lap {{ form.lap }}</h2>
    <div class="fields">
      <label v-if="laps"
        >Lap
        <select v-model="form.lap">
          <option v-for="number in laps" :key="number" :value="number">{{ number }}</option>
        </select></label
      >
      <label
        >Corner
        <select ref="first" v-model="form.corner">
          <option value="">the whole lap</option>
          <option v-for="item in sheet.corners" :key="item.code ?? ''" :value="item.code">
            {{ item.code }}{{ item.name ? ` ${item.name}` : '' }}
          </option>
        </select></label
      >
      <label
        >What
        <select v-model="form.kind">
          <option value="">no mistake</option>
          <option v-for="(words, kind) in sheet.mistake_words" :key="kind" :value="kind">{{ words }}</option>
        </select></label
      >
      <label v-if="form.kind"
        >Begun at
        <select v-model="form.cause">
          <option value="">that corner itself</option>
          <option v-for="item in sheet.corners" :key="item.code ?? ''" :value="item.code">
            {{ item.code }}{{ item.name ? ` ${item.name}` : '' }}
          </option>
        </select></label
      >
      <label
        >Because
        <select v-model="form.because">
          <option value="">of the driver, or not said</option>
          <option v-for="(words, kind) in sheet.because_words" :key="kind" :value="kind">{{ words }}</option>
        </select></label
      >
      <label class="wide"
        >In your own words
        <input v-model="form.text" class="field" maxlength="500" placeholder="wide because of the car ahead"
      /></label>
    </div>
    <p v-if="form.because && inPart" class="quiet">
      That part of the lap counts for nothing then, the others do, and what happened there is no mistake of the
      driver’s.
    </p>
    <p v-else-if="form.because" class="quiet">
      The lap gets that mark then, and what happened on it is no mistake of the driver’s.
    </p>
    <TroubleNote :error="save.error.value" />
    <div class="buttons">
      <WorkButton
        size="small"
        type="submit"
        color="primary"
        :disabled="!form.kind && !form.because && !form.text.trim()"
        :loading="save.isPending.value"
        >Keep</WorkButton
      >
      <v-btn size="small" variant="outlined" @click="emit('close')">Leave it</v-btn>
    </div>
  </form>
</template>
