<script setup lang="ts">
import { useMutation } from '@tanstack/vue-query'
import { computed, reactive, ref } from 'vue'
import { answer, api, version, type Practice } from '@/shared/api/client'
import type { Wetness } from '@/shared/api/words'
import { asTyped, readIn, readNumber, typedIn } from '@/shared/format'
import { units } from '@/shared/units'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import WorkButton from '@/shared/parts/WorkButton.vue'
import { useRunsSettled } from '@/features/drive/runs'

/** The conditions of a session: as its laps say, or as somebody says of the whole and of the weather within it. */
const props = defineProps<{ practice: Practice }>()
const emit = defineEmits<{ close: [] }>()
const settled = useRunsSettled()
const form = reactive({
  label: props.practice.label,
  inside: props.practice.session_local?.slice(0, 16) ?? '',
  air: typedIn('temperature', props.practice.air_temp_c),
  track: typedIn('temperature', props.practice.track_temp_c),
  wetness: asTyped(props.practice.wetness),
})
const weather = ref(
  props.practice.weather.map((item) => ({ minute: asTyped(item.minute), wetness: item.wetness as Wetness })),
)
const bad = computed(() =>
  [form.air, form.track, ...weather.value.map((item) => item.minute || 'x')].some((value) =>
    Number.isNaN(readNumber(value) ?? 0),
  ),
)
const save = useMutation({
  mutationFn: () =>
    answer(
      api.PUT('/api/sessions/{session_id}', {
        params: { path: { session_id: props.practice.id }, header: version(props.practice.version) },
        body: {
          label: form.label.trim() || null,
          session_local: form.inside || null,
          air_temp_c: readIn('temperature', form.air, props.practice.air_temp_c),
          track_temp_c: readIn('temperature', form.track, props.practice.track_temp_c),
          wetness: (form.wetness || null) as Wetness | null,
          weather: weather.value.map((item) => ({ minute: readNumber(item.minute) ?? 0, wetness: item.wetness })),
        },
      }),
    ),
  onSuccess: () => emit('close'),
  onSettled: settled,
})
const NEXT: Record<Wetness, Wetness> = { dry: 'damp', damp: 'wet', wet: 'damp' }
const add = () =>
  weather.value.push({
    minute: weather.value.length ? '' : '0',
    wetness: weather.value.length ? NEXT[weather.value[weather.value.length - 1]?.wetness ?? 'wet'] : 'dry',
  })
</script>

<template>
  <form v-draft="`session ${practice.id}`" @submit.prevent="save.mutate()">
    <div class="fields">
      <label>Name <input v-model="form.label" class="field" maxlength="120" /></label>
      <label>Inside the simulation <input v-model="form.inside" class="field" type="datetime-local" /></label>
      <label
        >Weather
        <select v-model="form.wetness">
          <option value="">as the laps say</option>
          <option>dry</option>
          <option>damp</option>
          <option>wet</option>
        </select></label
      >
      <label>Air, {{ units.temperature }} <input v-model="form.air" v-reads class="field" inputmode="decimal" /></label>
      <label
        >Track, {{ units.temperature }} <input v-model="form.track" v-reads class="field" inputmode="decimal"
      /></label>
    </div>
    <p v-for="(item, index) in weather" :key="index" class="change">
      From minute
      <input
        v-model="item.minute"
        v-reads
        class="field"
        size="5"
        inputmode="decimal"
        :aria-label="`Change ${index + 1}: from minute`"
      />
      <select v-model="item.wetness" :aria-label="`Change ${index + 1}: how wet`">
        <option>dry</option>
        <option>damp</option>
        <option>wet</option>
      </select>
      <button type="button" class="link" @click="weather.splice(index, 1)">
        Remove<span class="visually-hidden"> change {{ index + 1 }}</span>
      </button>
    </p>
    <p>
      <button type="button" class="link" @click="add">
        {{ weather.length ? 'It changed again' : 'The weather changed within the session' }}
      </button>
    </p>
    <TroubleNote :error="save.error.value" />
    <div class="buttons">
      <WorkButton size="small" type="submit" color="primary" :disabled="bad" :loading="save.isPending.value"
        >Keep</WorkButton
      >
      <v-btn size="small" variant="outlined" @click="emit('close')">Leave it</v-btn>
    </div>
  </form>
</template>

<style scoped>
.change {
  display: flex;
  gap: 6px;
  align-items: center;
  margin: 4px 0;
}
</style>
