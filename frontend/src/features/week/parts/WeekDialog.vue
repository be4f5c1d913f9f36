<script setup lang="ts">
import { useMutation, useQueryClient } from '@tanstack/vue-query'
import { computed, reactive, ref } from 'vue'
import { answer, api, theirsOf, version, type SeriesWeek, type WeekFacts } from '@/shared/api/client'
import { asTyped, readIn, readNumber, typedIn } from '@/shared/format'
import { units } from '@/shared/units'
import SettingsTable from '@/features/week/parts/SettingsTable.vue'
import TheirsNote from '@/shared/parts/TheirsNote.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import WorkButton from '@/shared/parts/WorkButton.vue'
import { preferences } from '@/shared/preferences'
import { settingsMeant, settingsTyped, wrongIn } from '@/features/week/settings'
import { useCars, useLayouts } from '@/shared/queries'

/** A week to be changed, or the last one of a series, from which a new one takes what mostly stays. */
const props = defineProps<{ seriesId: string; series: string; week?: SeriesWeek; last?: SeriesWeek }>()
const emit = defineEmits<{ close: [] }>()
const queries = useQueryClient()
const shown = ref(true)
const seen = ref(props.week?.version ?? 0)
const zones = (Intl as unknown as { supportedValuesOf: (key: string) => string[] }).supportedValuesOf('timeZone')
const layouts = useLayouts()
const cars = useCars()
const tracks = computed(() => [...new Set((layouts.data.value?.items ?? []).map((item) => item.track))])
const later = (day: string, days: number) =>
  new Date(new Date(`${day}T12:00:00Z`).getTime() + days * 86_400_000).toISOString().slice(0, 10)

type Form = Record<string, string>
const NUMBERS = [
  'race_laps',
  'race_minutes',
  'practice_minutes',
  'qualifying_minutes',
  'qualifying_laps',
  'fuel_rate',
  'tyre_rate',
  'stops_min',
  'grid',
  'strike_limit',
  'incident_limit',
] as const
const DEGREES = ['air_temp_c', 'track_temp_c'] as const
const TEXTS = [
  'track',
  'layout',
  'starts',
  'start',
  'setup',
  'damage',
  'repairs',
  'boost',
  'limits_rule',
  'wetness',
  'note',
] as const
function filled(): Form {
  const from = (props.week ?? props.last)?.facts
  const begins = props.week
    ? props.week.facts.begins
    : (props.last?.facts.ends ?? new Date().toISOString().slice(0, 10))
  const out: Form = {
    week: asTyped(props.week ? props.week.facts.week : (props.last?.facts.week ?? 0) + 1),
    zone: from?.zone ?? preferences.zone ?? 'UTC',
    begins,
    ends: props.week ? props.week.facts.ends : later(begins, 7),
    cars: (from?.cars ?? []).join('\n'),
    compounds: (from?.compounds ?? []).map((item) => `${item.name}${item.must ? '*' : ''}`).join(', '),
    cautions: from?.cautions === true ? 'yes' : from?.cautions === false ? 'no' : '',
    session_local: from?.session_local?.slice(0, 16) ?? '',
  }
  for (const name of NUMBERS) out[name] = asTyped(from?.[name])
  for (const name of DEGREES) out[name] = typedIn('temperature', from?.[name])
  for (const name of TEXTS) out[name] = asTyped(from?.[name])
  if (!props.week) out.track = out.layout = out.note = ''
  return out
}
const form = reactive<Form>(filled())
const of = (name: string) => form[name] ?? ''
const settings = ref(settingsTyped((props.week ?? props.last)?.facts.changeable))
const own = computed(() =>
  (layouts.data.value?.items ?? []).filter((item) => item.track === form.track).map((item) => item.layout),
)
const bad = computed(() => {
  if (!/^\d+$/.test(of('week'))) return 'The week has a number.'
  if (!form.begins || !form.ends) return 'Say from when to when it goes.'
  return wrongIn([...NUMBERS, ...DEGREES].map(of), settings.value)
})
const facts = (): WeekFacts =>
  ({
    week: Number(form.week),
    zone: form.zone,
    begins: form.begins,
    ends: form.ends,
    cars: of('cars')
      .split('\n')
      .map((name) => name.trim())
      .filter(Boolean),
    compounds: of('compounds')
      .split(',')
      .map((name) => ({ name: name.replace('*', '').trim(), must: name.includes('*') }))
      .filter((item) => item.name),
    cautions: form.cautions ? form.cautions === 'yes' : null,
    session_local: form.session_local || null,
    changeable: settingsMeant(settings.value),
    ...Object.fromEntries(NUMBERS.map((name) => [name, readNumber(of(name))])),
    ...Object.fromEntries(
      DEGREES.map((name) => [name, readIn('temperature', of(name), (props.week ?? props.last)?.facts[name])]),
    ),
    ...Object.fromEntries(TEXTS.map((name) => [name, of(name).trim() || null])),
  }) as WeekFacts
const save = useMutation({
  mutationFn: (at: number) =>
    props.week
      ? answer(
          api.PUT('/api/weeks/{week_id}', {
            params: { path: { week_id: props.week.id }, header: version(at) },
            body: facts(),
          }),
        )
      : answer(
          api.POST('/api/series/{series_id}/weeks', { params: { path: { series_id: props.seriesId } }, body: facts() }),
        ),
  onSuccess: () => (shown.value = false),
  onSettled: () =>
    Promise.all(
      ['weeks', 'series-week', 'series', 'board', 'combinations', 'cars', 'steps', 'history'].map((key) =>
        queries.invalidateQueries({ queryKey: [key] }),
      ),
    ),
})
const theirs = computed(() => theirsOf<SeriesWeek>(save.error.value))
const FIELDS: [string, string, string?][] = [
  ['race_laps', 'Race laps'],
  ['race_minutes', 'or race minutes'],
  ['practice_minutes', 'Practice, min'],
  ['qualifying_minutes', 'Qualifying, min'],
  ['qualifying_laps', 'Qualifying, laps'],
  ['grid', 'Grid'],
  ['fuel_rate', 'Fuel use, times normal'],
  ['tyre_rate', 'Tyre wear, times normal'],
  ['stops_min', 'Stops, at least'],
  ['strike_limit', 'Strikes allowed'],
  ['incident_limit', 'Incidents allowed'],
  ['air_temp_c', `Air, ${units.temperature}`],
  ['track_temp_c', `Track, ${units.temperature}`],
  ['damage', 'Damage'],
  ['repairs', 'Repairs'],
  ['boost', 'Boost'],
  ['limits_rule', 'Rule of track limits'],
]
</script>

<template>
  <v-dialog v-model="shown" max-width="860" aria-labelledby="week-title" @after-leave="emit('close')">
    <form v-draft="`week ${seriesId} ${week?.id ?? ''}`" class="sheet part" @submit.prevent="save.mutate(seen)">
      <h2 id="week-title">{{ week ? `Week ${week.facts.week} of ${series}` : `New week of ${series}` }}</h2>
      <div class="fields">
        <label>Week <input v-model="form.week" v-reads class="field" inputmode="numeric" maxlength="4" /></label>
        <label>From <input v-model="form.begins" class="field" type="date" required /></label>
        <label>To (not in it) <input v-model="form.ends" class="field" type="date" required /></label>
        <label
          >Turns over at midnight in
          <select v-model="form.zone">
            <option v-for="zone in [...new Set(['UTC', form.zone, ...zones])]" :key="zone" :value="zone">
              {{ zone }}
            </option>
          </select></label
        >
        <label
          >Track <input v-model="form.track" class="field" list="known-tracks" maxlength="120" autocomplete="off"
        /></label>
        <label
          >Layout <input v-model="form.layout" class="field" list="known-layouts" maxlength="120" autocomplete="off"
        /></label>
        <datalist id="known-tracks"><option v-for="name in tracks" :key="name" :value="name" /></datalist>
        <datalist id="known-layouts"><option v-for="name in own" :key="name" :value="name" /></datalist>
        <label class="wide"
          >Cars, one a line
          <textarea v-model="form.cars" class="field" rows="2" :placeholder="cars.data.value?.items[0]?.name" />
        </label>
        <label class="wide"
          >Starts
          <input
            v-model="form.starts"
            class="field"
            maxlength="10000"
            placeholder="every 90min from 00:20 — or at 18:00 20:30 on sat sun in Europe/Oslo — or 2031-04-07T18:20Z"
        /></label>
      </div>
      <p class="quiet">
        Start times are UTC unless a zone stands behind them. A rule begins anew each day; “to 22:00” ends it, “on sat
        sun” limits it.
      </p>
      <div class="fields">
        <label
          >Start
          <select v-model="form.start">
            <option value="">not known</option>
            <option value="standing">standing</option>
            <option value="rolling">rolling</option>
          </select></label
        >
        <label
          >Setup
          <select v-model="form.setup">
            <option value="">not known</option>
            <option value="fixed">fixed</option>
            <option value="open">open</option>
          </select></label
        >
        <label
          >Cautions
          <select v-model="form.cautions">
            <option value="">not known</option>
            <option value="yes">yes</option>
            <option value="no">no</option>
          </select></label
        >
        <label
          >Weather
          <select v-model="form.wetness">
            <option value="">not known</option>
            <option value="dry">dry</option>
            <option value="damp">damp</option>
            <option value="wet">wet</option>
          </select></label
        >
        <label>Inside the simulation <input v-model="form.session_local" class="field" type="datetime-local" /></label>
        <label
          >Compounds, * must be used <input v-model="form.compounds" class="field" placeholder="slick*, rain"
        /></label>
        <label v-for="[name, title] in FIELDS" :key="name"
          >{{ title }} <input v-model="form[name]" class="field" maxlength="120"
        /></label>
        <label class="wide">Note <textarea v-model="form.note" class="field" rows="2" maxlength="2000" /></label>
      </div>
      <h3>What may be changed in the car</h3>
      <SettingsTable v-model="settings" label="What may be changed in the car" />
      <TheirsNote v-if="theirs" take="Leave theirs" @mine="save.mutate(theirs.version)" @theirs="shown = false">
        Somebody else changed this week meanwhile:
        {{ [theirs.facts.track, theirs.facts.layout].filter(Boolean).join(', ') }}, {{ theirs.facts.begins }} to
        {{ theirs.facts.ends }}, {{ theirs.facts.cars?.join(' or ')
        }}{{ theirs.facts.note ? `, “${theirs.facts.note}”` : '' }}.
      </TheirsNote>
      <TroubleNote v-else :error="save.error.value" />
      <div class="buttons">
        <WorkButton type="submit" color="primary" :disabled="!!bad" :loading="save.isPending.value">Keep</WorkButton>
        <v-btn variant="outlined" @click="shown = false">Leave it</v-btn>
        <span class="bad" role="status">{{ bad }}</span>
      </div>
    </form>
  </v-dialog>
</template>

<style scoped>
form {
  max-height: 90vh;
  overflow-y: auto;
}
h3 {
  font-size: 0.98rem;
  margin: 10px 0 4px;
}
</style>
