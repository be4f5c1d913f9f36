<script setup lang="ts">
import { useMutation, useQuery } from '@tanstack/vue-query'
import { computed, reactive, ref } from 'vue'
import { answer, api, theirsOf, version, type Combination } from '@/shared/api/client'
import { asTyped, readIn, readNumber, typedIn } from '@/shared/format'
import { inUnit, units, type Quantity } from '@/shared/units'
import TheirsNote from '@/shared/parts/TheirsNote.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import { useCombinationChanged } from '@/shared/queries'
import WorkButton from '@/shared/parts/WorkButton.vue'

const props = defineProps<{ combination: Combination }>()
const emit = defineEmits<{ close: [] }>()
const combinationChanged = useCombinationChanged()
const shown = ref(true)
const seen = ref(0)
const form = reactive({ note: '', cold: 'laps', amount: '', floor: '', minutes: '', air: '', track: '', byHand: false })
/** Other thresholds as they were typed, by name; empty is the default. */
const typed = reactive<Record<string, string>>({})
const known = useQuery({ queryKey: ['thresholds'], queryFn: () => answer(api.GET('/api/thresholds')) })
const thresholds = computed(() => known.data.value?.items ?? [])
/** Thresholds that are a speed or a difference of temperatures, and what a unit of fuel costs. */
const kindOf = (name: string): Quantity | undefined =>
  name.endsWith('_kmh') ? 'speed' : name.endsWith('_spread_c') ? 'temperature' : undefined
function typedThreshold(name: string, value: number): string {
  const kind = kindOf(name)
  if (name === 'seconds_per_litre') return String(Number((value / inUnit('volume', 1)).toFixed(4)))
  return kind ? typedIn(kind, value, true) : asTyped(value)
}
const keptAs = (row: Combination, name: string) => row.settings[name] as number | undefined
function readThreshold(name: string, text: string): number | null {
  const before = keptAs(props.combination, name)
  if (before !== undefined && text.trim() === typedThreshold(name, before)) return before
  const kind = kindOf(name)
  const value = kind ? readIn(kind, text, before, true) : readNumber(text)
  return value !== null && name === 'seconds_per_litre' ? Number((value * inUnit('volume', 1)).toFixed(6)) : value
}
function show(row: Combination) {
  seen.value = row.version
  form.note = row.note ?? ''
  form.cold = row.settings.cold_seconds === undefined ? 'laps' : 'seconds'
  form.amount = asTyped(row.settings.cold_seconds ?? row.settings.cold_laps)
  form.floor = asTyped(row.settings.solo_floor_s)
  form.minutes = asTyped(row.settings.condition_minutes)
  form.air = typedIn('temperature', keptAs(row, 'condition_air_c'), true)
  form.track = typedIn('temperature', keptAs(row, 'condition_track_c'), true)
  form.byHand = row.settings.hand_timed_ideals === 1
  for (const name of Object.keys(typed)) delete typed[name]
  for (const [name, value] of Object.entries(row.settings)) typed[name] = typedThreshold(name, value as number)
}
show(props.combination)
const bad = computed(() =>
  [
    form.amount,
    form.floor,
    form.minutes,
    form.air,
    form.track,
    ...thresholds.value.map((item) => typed[item.name] ?? ''),
  ].some((text) => Number.isNaN(readNumber(text) ?? 0)),
)
const save = useMutation({
  mutationFn: () =>
    answer(
      api.PUT('/api/combinations/{combination_id}', {
        params: { path: { combination_id: props.combination.id }, header: version(seen.value) },
        body: {
          note: form.note || null,
          cold_laps: form.cold === 'laps' ? readNumber(form.amount) : null,
          cold_seconds: form.cold === 'seconds' ? readNumber(form.amount) : null,
          solo_floor_s: readNumber(form.floor),
          condition_minutes: readNumber(form.minutes),
          condition_air_c: readIn('temperature', form.air, keptAs(props.combination, 'condition_air_c'), true),
          condition_track_c: readIn('temperature', form.track, keptAs(props.combination, 'condition_track_c'), true),
          hand_timed_ideals: form.byHand ? 1 : null,
          thresholds: known.data.value
            ? Object.fromEntries(
                thresholds.value.flatMap((item) => {
                  const value = readThreshold(item.name, typed[item.name] ?? '')
                  return value === null ? [] : [[item.name, value]]
                }),
              )
            : null,
        },
      }),
    ),
  onSuccess: async () => {
    emit('close')
    await combinationChanged()
  },
})
const changed = computed(() => thresholds.value.filter((item) => typed[item.name]?.trim()).length)
/** How somebody else left it meanwhile. */
const theirs = computed(() => theirsOf<Combination>(save.error.value))
</script>

<template>
  <v-dialog v-model="shown" max-width="560" aria-labelledby="change-title" @after-leave="emit('close')">
    <form v-draft="`combination ${combination.id}`" class="sheet part" @submit.prevent="save.mutate()">
      <h2 id="change-title">Note and settings</h2>
      <v-textarea
        v-model="form.note"
        label="Note"
        rows="3"
        auto-grow
        maxlength="5000"
        variant="outlined"
        hide-details
        class="my-3"
      />
      <fieldset>
        <legend>Tyres are cold for the first</legend>
        <input
          v-model="form.amount"
          v-reads
          inputmode="decimal"
          size="6"
          maxlength="8"
          :aria-label="`How many ${form.cold}`"
          :placeholder="form.cold === 'laps' ? '1' : ''"
        />
        <select v-model="form.cold" aria-label="Laps or seconds">
          <option value="laps">flying laps</option>
          <option value="seconds">seconds after the pits</option>
        </select>
      </fieldset>
      <fieldset>
        <legend>Nobody laps alone faster than</legend>
        <input
          v-model="form.floor"
          v-reads
          inputmode="decimal"
          size="8"
          maxlength="12"
          aria-label="Solo floor in seconds"
          placeholder="no floor"
        />
        s
        <span class="quiet">a faster lap is taken for one in a tow until somebody says otherwise</span>
      </fieldset>
      <fieldset>
        <legend>Practice differs from the race</legend>
        from
        <input
          v-model="form.minutes"
          v-reads
          inputmode="decimal"
          size="4"
          maxlength="6"
          aria-label="Minutes of the day apart"
          placeholder="120"
        />
        min of the day,
        <input
          v-model="form.air"
          v-reads
          inputmode="decimal"
          size="3"
          maxlength="6"
          aria-label="Degrees of air apart"
          :placeholder="typedIn('temperature', 6, true)"
        />
        {{ units.temperature }} of air,
        <input
          v-model="form.track"
          v-reads
          inputmode="decimal"
          size="3"
          maxlength="6"
          aria-label="Degrees of track apart"
          :placeholder="typedIn('temperature', 8, true)"
        />
        {{ units.temperature }} of track on
      </fieldset>
      <fieldset>
        <legend>Times by hand</legend>
        <label><input v-model="form.byHand" type="checkbox" /> count for ideal laps too</label>
        <span class="quiet">else they don’t, since they carry a ±</span>
      </fieldset>
      <details class="all">
        <summary>
          All thresholds<span v-if="changed" class="quiet"> ({{ changed }} of your own)</span>
        </summary>
        <p class="quiet">Empty: the default. What is changed here holds for this combination alone.</p>
        <label v-for="item in thresholds" :key="item.name" class="line"
          ><span>{{ item.words }}</span
          ><input
            v-model="typed[item.name]"
            v-reads
            inputmode="decimal"
            size="6"
            maxlength="10"
            :placeholder="item.usual === null ? '–' : typedThreshold(item.name, item.usual)"
        /></label>
      </details>
      <TheirsNote v-if="theirs" @mine="((seen = theirs.version), save.mutate())" @theirs="(show(theirs), save.reset())">
        Somebody else changed this meanwhile. Theirs: {{ theirs.note ? `note “${theirs.note}”` : 'no note'
        }}{{
          Object.entries(theirs.settings)
            .map(([name, at]) => `, ${name.replaceAll('_', ' ')} ${at}`)
            .join('')
        }}.
      </TheirsNote>
      <TroubleNote v-else :error="save.error.value" />
      <div class="buttons">
        <WorkButton type="submit" color="primary" :disabled="bad" :loading="save.isPending.value">Keep</WorkButton>
        <v-btn variant="outlined" @click="shown = false">Leave it</v-btn>
        <span v-if="bad" class="bad" role="status">Numbers only, please.</span>
      </div>
    </form>
  </v-dialog>
</template>

<style scoped>
fieldset {
  border: 0;
  padding: 0;
  margin: 8px 0;
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 4px 8px;
}
legend {
  float: left;
  font-weight: 600;
}
input {
  border: 1px solid var(--quiet);
  border-radius: 3px;
  padding: 2px 6px;
  background: var(--paper);
  color: var(--ink);
  text-align: right;
}
.all {
  margin: 10px 0;
  max-height: 320px;
  overflow-y: auto;
}
.line {
  display: flex;
  justify-content: space-between;
  align-items: center;
  gap: 12px;
  padding: 2px 0;
}
</style>
