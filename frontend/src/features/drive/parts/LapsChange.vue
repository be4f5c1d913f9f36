<script setup lang="ts">
import { useMutation } from '@tanstack/vue-query'
import { computed, onMounted, reactive, ref } from 'vue'
import { answer, api, type LapFacts, type LapOnSheet, type Mark, type RunSheet } from '@/shared/api/client'
import { count, lapTime, readIn, readNumber, readTime, typedIn } from '@/shared/format'
import { units } from '@/shared/units'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import WorkButton from '@/shared/parts/WorkButton.vue'
import { nameOf, runPath, useRunsSettled, type RunKey } from '@/features/drive/runs'

/** Facts and marks of one lap or of many at once: only what is touched is written. */
const props = defineProps<{ sheet: RunSheet; runKey: RunKey; laps: LapOnSheet[] }>()
const emit = defineEmits<{ close: [] }>()
const settled = useRunsSettled()
const versions = computed(() => Object.fromEntries(props.laps.map((lap) => [lap.number, lap.version])))
const one = computed(() => (props.laps.length === 1 ? props.laps[0] : undefined))
const form = reactive({
  time: one.value ? lapTime(one.value.time_us) : '',
  kind: '',
  wetness: '',
  compound: '',
  tyre_set: '',
  tyre_age: '',
  fuel_l: '',
  setup: '',
  note: one.value?.note ?? '',
})
const marks = reactive(
  Object.fromEntries(Object.keys(props.sheet.mark_words).map((mark) => [mark, ''])) as Record<Mark, string>,
)
const first = ref<HTMLInputElement | HTMLSelectElement>()
onMounted(() => first.value?.focus())
const facts = computed<Partial<LapFacts>>(() => {
  const out: Partial<LapFacts> = {}
  const time = readTime(form.time)
  if (one.value && time !== null && time !== one.value.time_us && lapTime(time) !== lapTime(one.value.time_us))
    out.time_us = time
  if (form.kind) out.kind = form.kind as LapFacts['kind']
  if (form.wetness) out.wetness = form.wetness as LapFacts['wetness']
  for (const name of ['compound', 'tyre_set', 'setup'] as const)
    if (form[name]) out[name] = form[name] === '–' ? null : form[name]
  if (form.tyre_age) out.tyre_age = readNumber(form.tyre_age)
  if (form.fuel_l) out.fuel_l = readIn('volume', form.fuel_l)
  if (one.value && form.note !== (one.value.note ?? '')) out.note = form.note || null
  return out
})
const said = computed(
  () =>
    Object.fromEntries(
      Object.entries(marks)
        .filter(([, value]) => value)
        .map(([mark, value]) => [mark, value === 'rules' ? null : value === 'yes']),
    ) as Partial<Record<Mark, boolean | null>>,
)
const bad = computed(() =>
  one.value && readTime(form.time) === null
    ? `“${form.time}” is not a time.`
    : [form.tyre_age, form.fuel_l].some((value) => Number.isNaN(readNumber(value) ?? 0))
      ? 'A number is none.'
      : '',
)
const save = useMutation({
  mutationFn: async () => {
    const path = runPath(props.runKey)
    const changed = Object.keys(facts.value).length > 0
    if (changed)
      await answer(
        api.PATCH('/api/sessions/{session_id}/drivers/{driver_id}/runs/{number}/laps', {
          params: { path },
          body: { versions: versions.value, facts: facts.value as LapFacts },
        }),
      )
    if (Object.keys(said.value).length) {
      // The facts' change has raised each version by one.
      const now = Object.fromEntries(props.laps.map((lap) => [lap.number, lap.version + (changed ? 1 : 0)]))
      await answer(
        api.PUT('/api/sessions/{session_id}/drivers/{driver_id}/runs/{number}/marks', {
          params: { path },
          body: { versions: now, marks: said.value as Record<string, boolean | null> },
        }),
      )
    }
  },
  onSuccess: () => emit('close'),
  onSettled: settled,
})
</script>

<template>
  <form
    v-draft.esc="`laps ${laps.map((lap) => lap.number).join()} of ${nameOf(runKey)}`"
    class="sheet part"
    aria-label="Change laps"
    @submit.prevent="save.mutate()"
    @keydown.esc="emit('close')"
  >
    <h2>Change {{ one ? `lap ${one.number}` : count(laps.length, 'lap') }}</h2>
    <p v-if="!one" class="quiet">
      What stays empty stays as it is; – clears it. The tyre age is that of the first lap and rises with the others.
    </p>
    <div class="fields">
      <label v-if="one">Time <input ref="first" v-model="form.time" class="field" maxlength="15" /></label>
      <label
        >Kind
        <select v-model="form.kind">
          <option value="">as it is</option>
          <option value="flying">flying</option>
          <option value="out">out lap</option>
          <option value="in">in lap</option>
          <option value="outin">out and in</option>
        </select></label
      >
      <label
        >Track was
        <select v-model="form.wetness">
          <option value="">as it is</option>
          <option>dry</option>
          <option>damp</option>
          <option>wet</option>
        </select></label
      >
      <label
        >Compound <input v-model="form.compound" class="field" maxlength="120" :placeholder="one?.compound ?? ''"
      /></label>
      <label
        >Tyre set <input v-model="form.tyre_set" class="field" maxlength="120" :placeholder="one?.tyre_set ?? ''"
      /></label>
      <label
        >Laps on the set
        <input
          v-model="form.tyre_age"
          v-reads
          class="field"
          inputmode="decimal"
          maxlength="9"
          :placeholder="one?.tyre_age?.toString() ?? ''"
      /></label>
      <label
        >Fuel, {{ units.volume }}
        <input
          v-model="form.fuel_l"
          v-reads
          class="field"
          inputmode="decimal"
          maxlength="9"
          :placeholder="typedIn('volume', one?.fuel_l)"
      /></label>
      <label>Setup <input v-model="form.setup" class="field" maxlength="120" :placeholder="one?.setup ?? ''" /></label>
      <label v-if="one" class="wide">Note <input v-model="form.note" class="field" maxlength="2000" /></label>
    </div>
    <fieldset>
      <legend>Marks: people have the last word</legend>
      <label v-for="(words, mark) in sheet.mark_words" :key="mark" :title="words.meaning"
        >{{ words.name }}
        <select v-model="marks[mark as Mark]">
          <option value="">as it is</option>
          <option value="yes">yes</option>
          <option value="no">no</option>
          <option value="rules">as facts and rules say</option>
        </select>
      </label>
    </fieldset>
    <TroubleNote :error="save.error.value" />
    <div class="buttons">
      <WorkButton
        size="small"
        type="submit"
        color="primary"
        :disabled="!!bad || (!Object.keys(facts).length && !Object.keys(said).length)"
        :loading="save.isPending.value"
        >Keep</WorkButton
      >
      <v-btn size="small" variant="outlined" @click="emit('close')">Leave it</v-btn>
      <span class="quiet" role="status">{{ bad }}</span>
    </div>
  </form>
</template>

<style scoped>
fieldset {
  border: 0;
  padding: 0;
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(175px, 1fr));
  gap: 4px 14px;
}
fieldset label {
  display: flex;
  justify-content: space-between;
  align-items: center;
  gap: 6px;
  font-size: 0.9rem;
}
fieldset select {
  width: 82px;
}
legend {
  padding: 0;
  font-weight: 600;
}
</style>
