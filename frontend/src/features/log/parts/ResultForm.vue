<script setup lang="ts">
import { computed, reactive, ref, watch } from 'vue'
import type { Schemas } from '@/shared/api/client'
import { lapTime, moment, readTime } from '@/shared/format'
import { FAULTS, useResultActs, type Debrief, type DebriefResult } from '@/features/log/log'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import WorkButton from '@/shared/parts/WorkButton.vue'
import { useLibrary } from '@/features/fix/clinic'

/** What a start brought, as the driver saw it: the lap of qualifying, places, laps, stops, incidents, points. */
const props = defineProps<{ race: Debrief; changing?: DebriefResult }>()
const emit = defineEmits<{ done: [] }>()
const { words } = useLibrary()
const acts = useResultActs(() => props.race.entry_id)
type Incident = Schemas['RaceIncident']
type Stop = { lap: number | ''; seconds: number | ''; compound: string }
const free = computed(() =>
  props.race.starts.filter(
    (start) => !props.race.results.some((item) => item.starts_at === start && item.id !== props.changing?.id),
  ),
)
const form = reactive({
  start: '',
  other: '',
  qualifying: '',
  grid: '' as number | '',
  finish: '' as number | '',
  laps: '' as number | '',
  points: '' as number | '',
  note: '',
  stops: [] as Stop[],
  incidents: [] as (Omit<Incident, 'lap'> & { lap: number | '' })[],
})
const trouble = ref('')
const orEmpty = (value: number | null | undefined): number | '' => value ?? ''
const orNull = (value: number | '') => (typeof value === 'number' ? value : null)
/** A moment as the field for it takes it, by the clock of this machine: day and time of day of one zone. */
const asField = (iso: string) =>
  new Date(new Date(iso).getTime() - new Date(iso).getTimezoneOffset() * 60_000).toISOString().slice(0, 16)
function fill() {
  const item = props.changing
  const known = item && props.race.starts.includes(item.starts_at)
  Object.assign(form, {
    start: item ? (known ? item.starts_at : 'other') : (free.value[0] ?? 'other'),
    other: item && !known ? asField(item.starts_at) : '',
    qualifying: item?.qualifying_us ? lapTime(item.qualifying_us) : '',
    grid: orEmpty(item?.grid),
    finish: orEmpty(item?.finish),
    laps: orEmpty(item?.laps),
    points: orEmpty(item?.points),
    note: item?.note ?? '',
    stops: (item?.stops ?? []).map((stop) => ({
      lap: stop.lap,
      seconds: orEmpty(stop.seconds),
      compound: stop.compound ?? '',
    })),
    incidents: (item?.incidents ?? []).map((one) => ({
      ...one,
      corner: one.corner ?? '',
      note: one.note ?? '',
      lap: orEmpty(one.lap),
    })),
  })
  trouble.value = ''
}
const opened = ref(false)
watch(
  () => [props.changing?.id, props.race.results.length],
  () => (opened.value = Boolean(props.changing) || free.value.length > 0 || !props.race.results.length),
  { immediate: true },
)
watch(() => [props.changing?.id, props.race.results.length, props.race.entry_id], fill, { immediate: true })
async function keep() {
  trouble.value = ''
  const qualifying_us = readTime(form.qualifying)
  const at = form.start === 'other' ? new Date(form.other) : new Date(form.start)
  if (Number.isNaN(at.getTime())) return (trouble.value = 'Say when it started.')
  const body: Schemas['ResultBody'] = {
    starts_at: form.start === 'other' ? at.toISOString() : form.start,
    qualifying_us,
    grid: orNull(form.grid),
    finish: orNull(form.finish),
    laps: orNull(form.laps),
    points: orNull(form.points),
    note: form.note.trim() || null,
    stops: form.stops.flatMap((stop) =>
      typeof stop.lap === 'number'
        ? [{ lap: stop.lap, seconds: orNull(stop.seconds), compound: stop.compound.trim() || null }]
        : [],
    ),
    incidents: form.incidents.map((one) => ({
      what: one.what,
      fault: one.fault,
      corner: one.corner || null,
      lap: orNull(one.lap),
      note: one.note?.trim() || null,
    })),
  }
  if (props.changing) await acts.change.mutateAsync({ item: props.changing, body })
  else await acts.add.mutateAsync(body)
  emit('done')
  fill()
}
const error = computed(() => acts.add.error.value ?? acts.change.error.value)
</script>

<template>
  <details class="sheet part" :open="opened" @toggle="opened = ($event.target as HTMLDetailsElement).open">
    <summary>
      <h2 id="result-title">
        {{
          changing
            ? 'Change what it brought'
            : race.results.length
              ? 'Write down another start'
              : 'Write down what a start brought'
        }}
      </h2>
    </summary>
    <form
      v-draft="`result ${race.entry_id} ${changing?.id ?? ''}`"
      aria-labelledby="result-title"
      @submit.prevent="keep().catch(() => undefined)"
    >
      <div class="fields">
        <label
          >Start
          <select v-model="form.start">
            <option v-for="start in free" :key="start" :value="start">{{ moment(start) }}</option>
            <option value="other">another one</option>
          </select></label
        >
        <label v-if="form.start === 'other'"
          >When, by this clock
          <input
            v-model="form.other"
            class="field"
            type="datetime-local"
            :min="asField(race.begins_at)"
            :max="asField(race.ends_at)"
            required
        /></label>
        <label
          >Lap of qualifying <input v-model="form.qualifying" v-reads="'time'" class="field" placeholder="m:ss.fff"
        /></label>
        <label>Started from <input v-model.number="form.grid" class="field" type="number" min="1" max="200" /></label>
        <label>Finished <input v-model.number="form.finish" class="field" type="number" min="1" max="200" /></label>
        <label>Laps <input v-model.number="form.laps" class="field" type="number" min="0" max="10000" /></label>
        <label>Points <input v-model.number="form.points" class="field" type="number" step="any" /></label>
      </div>
      <fieldset v-for="(stop, index) in form.stops" :key="`stop${index}`" class="line">
        <legend class="visually-hidden">Stop {{ index + 1 }}</legend>
        <label
          >Stop behind lap <input v-model.number="stop.lap" class="field" type="number" min="1" max="10000" required
        /></label>
        <label
          >it took, s <input v-model.number="stop.seconds" class="field" type="number" min="0" max="3600" step="0.1"
        /></label>
        <label>new tyres <input v-model="stop.compound" class="field" maxlength="120" /></label>
        <button type="button" class="link" @click="form.stops.splice(index, 1)">Take the stop out</button>
      </fieldset>
      <fieldset v-for="(one, index) in form.incidents" :key="`incident${index}`" class="line">
        <legend class="visually-hidden">Incident {{ index + 1 }}</legend>
        <label
          >What
          <select v-model="one.what">
            <option v-for="(called, key) in words" :key="key" :value="key">{{ called }}</option>
          </select></label
        >
        <label
          >at
          <select v-model="one.corner">
            <option value="">no corner</option>
            <option v-for="corner in race.corners" :key="corner.code" :value="corner.code">
              {{ corner.code }} {{ corner.name ?? '' }}
            </option>
          </select></label
        >
        <label>on lap <input v-model.number="one.lap" class="field" type="number" min="0" max="10000" /></label>
        <label
          >came from
          <select v-model="one.fault">
            <option v-for="(called, key) in FAULTS" :key="key" :value="key">{{ called }}</option>
          </select></label
        >
        <label class="more">Note <input v-model="one.note" class="field" maxlength="300" /></label>
        <button type="button" class="link" @click="form.incidents.splice(index, 1)">Take the incident out</button>
      </fieldset>
      <p class="buttons">
        <button
          type="button"
          class="link"
          @click="form.incidents.push({ what: 'contact', corner: '', lap: '', fault: 'own', note: '' })"
        >
          Add an incident
        </button>
        <button type="button" class="link" @click="form.stops.push({ lap: '', seconds: '', compound: '' })">
          Add a stop
        </button>
      </p>
      <label class="wide">Note <textarea v-model="form.note" class="field" rows="2" maxlength="2000" /></label>
      <p v-if="trouble" class="warning" role="alert">{{ trouble }}</p>
      <p class="buttons">
        <WorkButton
          type="submit"
          size="small"
          color="primary"
          :loading="acts.add.isPending.value || acts.change.isPending.value"
          >{{ changing ? 'Keep it' : 'Write it down' }}</WorkButton
        >
        <v-btn v-if="changing" size="small" variant="outlined" @click="emit('done')">Leave it</v-btn>
      </p>
      <TroubleNote :error="error" />
    </form>
  </details>
</template>

<style scoped>
.sheet {
  padding: 12px 16px;
  margin-bottom: 12px;
}
summary h2 {
  display: inline;
}
.line {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 12px;
  align-items: end;
  border: 0;
  border-bottom: 1px solid var(--rule);
  padding: 6px 0;
}
.line label {
  display: grid;
  font-size: 0.9rem;
}
.line select {
  box-sizing: border-box;
  min-height: 32px;
}
.line input[type='number'] {
  width: 90px;
}
.line .more {
  flex: 1 1 180px;
}
.wide {
  display: grid;
  font-size: 0.9rem;
}
</style>
