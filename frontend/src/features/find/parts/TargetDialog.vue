<script setup lang="ts">
import { useMutation, useQueryClient } from '@tanstack/vue-query'
import { computed, reactive, ref, watch } from 'vue'
import { answer, api, theirsOf, version, type Combination } from '@/shared/api/client'
import type { TargetBy } from '@/shared/api/words'
import { asTyped, lapTime, readNumber, readTime } from '@/shared/format'
import SkeletonRows from '@/shared/parts/SkeletonRows.vue'
import TheirsNote from '@/shared/parts/TheirsNote.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import WorkButton from '@/shared/parts/WorkButton.vue'
import { useCombination } from '@/shared/queries'

const props = defineProps<{ id: string }>()
const emit = defineEmits<{ close: [] }>()
const queries = useQueryClient()
const shown = ref(true)
const combination = useCombination(() => props.id)
const form = reactive({
  version: 0,
  rule: 'none',
  time: '',
  share: '',
  bench: '',
  whose: '',
  source: '',
  conditions: '',
  strikes: '',
  incidents: '',
})
function show(row: Combination) {
  Object.assign(form, {
    version: row.version,
    rule: row.target?.rule ?? 'none',
    time: row.target?.time_us ? lapTime(row.target.time_us) : '',
    share: asTyped(row.target?.per_cent),
    bench: row.benchmark ? lapTime(row.benchmark.time_us) : '',
    whose: row.benchmark?.whose ?? '',
    source: row.benchmark?.source ?? '',
    conditions: row.benchmark?.conditions ?? '',
    strikes: asTyped(row.strike_limit),
    incidents: asTyped(row.incident_limit),
  })
}
watch(
  () => combination.data.value,
  (row) => row && !form.version && show(row),
  { immediate: true },
)
const share = computed(() => readNumber(form.share))
const bad = computed(() => {
  if (form.bench.trim() && readTime(form.bench) === null) return 'The benchmark is not a time such as 1:32.114.'
  if (form.rule === 'time' && readTime(form.time) === null) return 'Write the target as a time such as 1:32.114.'
  if (form.rule === 'benchmark' && !form.bench.trim()) return 'Write the benchmark first.'
  if (Number.isNaN(share.value ?? 0)) return 'The share is a number, such as 101.'
  if ([form.strikes, form.incidents].some((limit) => limit.trim() && !/^\d+$/.test(limit.trim())))
    return 'Limits are whole numbers.'
  return ''
})
const whole = (limit: string) => (limit.trim() ? Number(limit) : null)
const save = useMutation({
  mutationFn: (number: number) =>
    answer(
      api.PUT('/api/combinations/{combination_id}/target', {
        params: { path: { combination_id: props.id }, header: version(number) },
        body: {
          target:
            form.rule === 'none'
              ? null
              : {
                  rule: form.rule as TargetBy,
                  time_us: form.rule === 'time' ? readTime(form.time) : null,
                  per_cent: form.rule === 'time' ? null : share.value,
                },
          benchmark: form.bench.trim()
            ? { time_us: readTime(form.bench)!, whose: form.whose, source: form.source, conditions: form.conditions }
            : null,
          strike_limit: whole(form.strikes),
          incident_limit: whole(form.incidents),
        },
      }),
    ),
  onSuccess: () => (shown.value = false),
  onSettled: () =>
    Promise.all(
      ['board', 'combination', 'combinations', 'steps', 'history'].map((key) =>
        queries.invalidateQueries({ queryKey: [key] }),
      ),
    ),
})
const theirs = computed(() => theirsOf<Combination>(save.error.value))
</script>

<template>
  <v-dialog v-model="shown" max-width="560" aria-labelledby="target-title" @after-leave="emit('close')">
    <form v-draft="`target ${id}`" class="sheet part" @submit.prevent="save.mutate(form.version)">
      <h2 id="target-title">Target and benchmark</h2>
      <p v-if="combination.data.value" class="quiet">
        {{ combination.data.value.track }}, {{ combination.data.value.layout }} · {{ combination.data.value.car }}
      </p>
      <TroubleNote :error="combination.error.value" :again="() => combination.refetch()" />
      <SkeletonRows v-if="combination.isPending.value" :rows="8" label="Loading the target" />
      <!-- Only when it is known what is there: else it would be written over what somebody types already. -->
      <template v-if="form.version">
        <fieldset>
          <legend>The target lap is</legend>
          <label><input v-model="form.rule" type="radio" value="none" /> not set</label>
          <label
            ><input v-model="form.rule" type="radio" value="time" /> this time:
            <input
              v-model="form.time"
              v-reads="form.rule === 'time' ? 'time' : undefined"
              class="field"
              size="9"
              maxlength="12"
              aria-label="Target time"
              placeholder="1:32.114"
              @focus="form.rule = 'time'"
          /></label>
          <label><input v-model="form.rule" type="radio" value="benchmark" /> a share of the benchmark</label>
          <label><input v-model="form.rule" type="radio" value="ideal" /> a share of our best linked ideal</label>
          <label v-if="form.rule === 'benchmark' || form.rule === 'ideal'"
            >namely
            <input
              v-model="form.share"
              v-reads
              class="field"
              size="6"
              maxlength="9"
              inputmode="decimal"
              aria-label="Share in per cent"
              placeholder="100"
            />
            %</label
          >
        </fieldset>
        <fieldset>
          <legend>Benchmark</legend>
          <label
            >Time
            <input
              v-model="form.bench"
              v-reads="'time'"
              class="field"
              size="9"
              maxlength="12"
              aria-label="Benchmark time"
              placeholder="1:31.500"
          /></label>
          <label>Whose <input v-model="form.whose" class="field" maxlength="120" /></label>
          <label>From where <input v-model="form.source" class="field" maxlength="120" /></label>
          <label>Conditions <input v-model="form.conditions" class="field" maxlength="120" /></label>
        </fieldset>
        <fieldset>
          <legend>A race allows</legend>
          <label
            ><input
              v-model="form.strikes"
              v-reads="'whole'"
              class="field"
              size="4"
              maxlength="4"
              inputmode="numeric"
              aria-label="Strikes allowed"
            />
            strikes</label
          >
          <label
            ><input
              v-model="form.incidents"
              v-reads="'whole'"
              class="field"
              size="4"
              maxlength="4"
              inputmode="numeric"
              aria-label="Incidents allowed"
            />
            incidents</label
          >
        </fieldset>
      </template>
      <TheirsNote v-if="theirs" @mine="save.mutate(theirs.version)" @theirs="(show(theirs), save.reset())">
        Somebody else set this meanwhile:
        {{
          theirs.target
            ? `${theirs.target.rule}${theirs.target.time_us ? ` ${lapTime(theirs.target.time_us)}` : ''}${theirs.target.per_cent ? ` ${theirs.target.per_cent} %` : ''}`
            : 'no target'
        }}{{ theirs.benchmark ? `, benchmark ${lapTime(theirs.benchmark.time_us)}` : '' }}.
      </TheirsNote>
      <TroubleNote v-else :error="save.error.value" />
      <div class="buttons">
        <WorkButton type="submit" color="primary" :disabled="!!bad || !form.version" :loading="save.isPending.value"
          >Keep</WorkButton
        >
        <v-btn variant="outlined" @click="shown = false">Leave it</v-btn>
        <span class="bad" role="status">{{ bad }}</span>
      </div>
    </form>
  </v-dialog>
</template>

<style scoped>
fieldset {
  border: 0;
  padding: 0;
  margin: 10px 0;
  display: grid;
  gap: 4px;
}
fieldset label {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 6px;
}
legend {
  font-weight: 600;
}
</style>
