<script setup lang="ts">
import { useMutation, useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { RouterLink } from 'vue-router'
import { answer, api, type SessionLine } from '@/shared/api/client'
import { clock, count, lapTime, moment, temperature, timeOfDay } from '@/shared/format'
import AskedDialog from '@/features/drive/parts/AskedDialog.vue'
import DriveHead from '@/features/drive/parts/DriveHead.vue'
import SessionDialog from '@/features/drive/parts/SessionDialog.vue'
import SkeletonRows from '@/shared/parts/SkeletonRows.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import { contextWords, PURPOSES, runPlace, skipped, useRunsSettled } from '@/features/drive/runs'
import { useMay } from '@/shared/session'

const props = defineProps<{ id: string }>()
const may = useMay()
const all = computed(() => may('session.change'))
const settled = useRunsSettled()
const path = computed(() => ({ combination_id: props.id }))
const driven = useQuery({
  queryKey: ['runs', () => props.id],
  queryFn: () => answer(api.GET('/api/combinations/{combination_id}/runs', { params: { path: path.value } })),
})
const asked = useQuery({
  queryKey: ['questions', () => props.id],
  queryFn: () => answer(api.GET('/api/combinations/{combination_id}/questions', { params: { path: path.value } })),
})
const forget = useMutation({
  mutationFn: (run: string) => answer(api.DELETE('/api/runs/{run_id}', { params: { path: { run_id: run } } })),
  onSettled: settled,
})
const asking = ref(false)
const editing = ref<SessionLine>()
const SHOWN = 12
const more = ref(false)
const sessions = computed(() => driven.data.value?.sessions ?? [])
const shownSessions = computed(() => (more.value ? sessions.value : sessions.value.slice(0, SHOWN)))
const undeclared = computed(() =>
  sessions.value.reduce((sum, line) => sum + line.runs.filter((run) => !run.declared).length, 0),
)
const weatherWords = (line: SessionLine) => {
  const seen = line.practice.seen as { air_temp_c: number | null; track_temp_c: number | null; wetness: string }
  const wet = line.practice.weather.length
    ? line.practice.weather.map((item) => item.wetness).join(', then ')
    : (line.practice.wetness ?? seen.wetness)
  const air = seen.air_temp_c ?? line.practice.air_temp_c
  const track = seen.track_temp_c ?? line.practice.track_temp_c
  return [
    wet,
    air === null || air === undefined ? '' : `air ${temperature(air)}`,
    track === null || track === undefined ? '' : `track ${temperature(track)}`,
    line.practice.session_local ? `inside ${timeOfDay(line.practice.session_local)}` : '',
  ]
    .filter(Boolean)
    .join(' · ')
}
const keyOf = (line: SessionLine, run: SessionLine['runs'][number]) => ({
  session_id: line.practice.id,
  driver_id: run.driver_id,
  number: run.number,
})
</script>

<template>
  <DriveHead :id="id" title="Runs" />
  <TroubleNote :error="driven.error.value ?? forget.error.value" :again="() => driven.refetch()" />
  <SkeletonRows v-if="driven.isPending.value" :rows="8" label="Loading the runs" />
  <section v-else-if="driven.data.value && !sessions.length && !driven.data.value.waiting.length" class="sheet empty">
    <h2>Nothing driven yet</h2>
    <p>
      Declare a run before it starts, so that its laps know what they were for. Laps come typed, timed by hand, from
      files, or from a rig.
    </p>
    <v-btn color="primary" :to="{ name: 'declare', params: { id } }">Declare a run</v-btn>
  </section>
  <template v-else-if="driven.data.value">
    <section v-if="driven.data.value.waiting.length" class="sheet part" aria-labelledby="waiting-title">
      <h2 id="waiting-title">Declared, waiting for laps</h2>
      <ul class="plain">
        <li v-for="run in driven.data.value.waiting" :key="run.id ?? ''">
          <span
            ><b>{{ run.driver }}</b> since {{ clock(run.declared_at ?? '') }} ·
            {{ contextWords(run.context) || 'nothing said of it' }}
            <template v-if="run.context.watch?.length"><br />watch: {{ run.context.watch.join('; ') }}</template>
            <span v-if="skipped(run).length" class="ochre"><br />skipped: {{ skipped(run).join('; ') }}</span>
          </span>
          <span class="acts">
            <RouterLink :to="{ name: 'type-laps', params: { id }, query: { driver: run.driver_id } }"
              >Type its laps</RouterLink
            >
            <button type="button" class="link" @click="forget.mutate(run.id ?? '')">
              Forget it<span class="visually-hidden">: run of {{ run.driver }}</span>
            </button>
          </span>
        </li>
      </ul>
    </section>
    <p v-if="asked.data.value?.items.length || undeclared" class="needs">
      <template v-if="asked.data.value?.items.length"
        >{{ count(asked.data.value.items.length, 'lap') }}
        {{ asked.data.value.items.length === 1 ? 'raises' : 'raise' }} a question.
        <button type="button" class="link" @click="asking = true">Say what it was</button></template
      >
      <span v-if="undeclared" class="quiet">
        {{ count(undeclared, 'run') }} arrived undeclared: open {{ undeclared === 1 ? 'it' : 'one' }} and press C to
        confirm what is supposed of it.</span
      >
    </p>
    <section
      v-for="line in shownSessions"
      :key="line.practice.id"
      class="sheet part"
      :aria-label="`Session ${line.practice.label}`"
    >
      <div class="head">
        <h2>Session {{ line.practice.label }}</h2>
        <span class="quiet"
          >{{ line.practice.first_at ? moment(line.practice.first_at) : 'moment not known' }} ·
          {{ weatherWords(line) }} · {{ count(line.practice.laps, 'lap') }} of
          {{ count(line.practice.drivers, 'driver') }}</span
        >
        <button v-if="all" type="button" class="link end" @click="editing = line">
          Conditions, merge, move<span class="visually-hidden">: session {{ line.practice.label }}</span>
        </button>
      </div>
      <div class="scroll-x" tabindex="0" role="region" :aria-label="`Runs of session ${line.practice.label}`">
        <table class="ledger">
          <thead>
            <tr>
              <th scope="col">Run</th>
              <th scope="col" class="number">Laps</th>
              <th scope="col" class="number">Fastest valid</th>
              <th scope="col">Began</th>
              <th scope="col">Purpose</th>
              <th scope="col">Compound</th>
              <th scope="col">Setup</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="run in line.runs" :key="`${run.driver_id} ${run.number}`">
              <th scope="row">
                <RouterLink :to="runPlace(id, keyOf(line, run))">{{ run.driver }}, run {{ run.number }}</RouterLink
                ><span v-if="run.guest" class="quiet"> guest</span>
              </th>
              <td class="number">{{ run.laps }}</td>
              <td class="number">
                {{ lapTime(run.best_us) }}<span v-if="run.by_hand" class="quiet" title="Timed by hand"> ±</span>
              </td>
              <td>{{ run.first_at ? clock(run.first_at) : '–' }}</td>
              <td>
                {{ run.purpose ? (PURPOSES[run.purpose] ?? run.purpose) : ''
                }}<span v-if="!run.declared" class="ochre">undeclared</span>
              </td>
              <td>{{ run.compound ?? '–' }}</td>
              <td>{{ run.setup ?? '–' }}</td>
            </tr>
          </tbody>
        </table>
      </div>
    </section>
    <p v-if="sessions.length > SHOWN && !more">
      <button type="button" class="link" @click="more = true">{{ sessions.length - SHOWN }} earlier sessions</button>
    </p>
  </template>
  <AskedDialog v-if="asking" :id="id" @close="asking = false" />
  <SessionDialog
    v-if="editing"
    :id="id"
    :line="editing"
    :others="sessions.filter((item) => item.practice.id !== editing?.practice.id)"
    @close="editing = undefined"
  />
</template>

<style scoped>
.head {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 2px 14px;
}
.acts {
  display: flex;
  gap: 14px;
}
.needs {
  border-left: 4px solid var(--loss);
  padding-left: 10px;
  margin-bottom: 12px;
}
</style>
