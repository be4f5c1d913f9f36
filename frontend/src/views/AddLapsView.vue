<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { RouterLink, useRoute, useRouter } from 'vue-router'
import { answer, api, fileBody, Trouble, type Job, type Preview } from '@/api/client'
import { follow, isJob } from '@/api/jobs'
import { count, date, gap, lapTime } from '@/format'
import CombinationSwitch from '@/parts/CombinationSwitch.vue'
import FileDrop from '@/parts/FileDrop.vue'
import ImportList from '@/parts/ImportList.vue'
import JobProgress from '@/parts/JobProgress.vue'
import TroubleNote from '@/parts/TroubleNote.vue'
import WorkButton from '@/parts/WorkButton.vue'

const MOST_BYTES = 50_000_000
const props = defineProps<{ id: string }>()
const route = useRoute()
const router = useRouter()
const queries = useQueryClient()
const fileId = computed(() => (typeof route.query.file === 'string' ? route.query.file : ''))

const combination = useQuery({
  queryKey: ['combination', () => props.id],
  queryFn: () => answer(api.GET('/api/combinations/{combination_id}', { params: { path: { combination_id: props.id } } })),
})
const apart = ref<string[]>([])
const leaveOut = ref<string[]>([])
const differences = ref<'keep' | 'take'>('keep')
/** What is at work for this page now. */
const job = ref<Job>()
const tell = (now: Job | undefined) => (job.value = now)
const look = (id: string, wanted: string[]) => answer(api.GET('/api/lap-files/{file_id}', { params: { path: { file_id: id }, query: { apart: wanted } } }))
/** A large file is looked at in the background; what was found is there afterwards. */
async function seenInTheEnd(first: Preview | Job, id: string, wanted: string[]): Promise<Preview> {
  let given = first
  while (isJob(given)) {
    await follow(given, tell)
    given = await look(id, wanted)
  }
  return given
}
const preview = useQuery({
  queryKey: ['lap-file', fileId, apart],
  enabled: computed(() => !!fileId.value),
  placeholderData: (before) => (before?.id === fileId.value ? before : undefined),
  queryFn: async () => seenInTheEnd(await look(fileId.value, apart.value), fileId.value, apart.value),
})
const seen = computed(() => (fileId.value ? preview.data.value : undefined))
watch(fileId, () => {
  apart.value = []
  leaveOut.value = []
  differences.value = 'keep'
})

const upload = useMutation({
  mutationFn: async (file: File) => {
    // Told before it is sent: the server would break off in the middle.
    if (file.size > MOST_BYTES) throw new Trouble(`${file.name} has ${Math.ceil(file.size / 1e6)} MB; up to 50 MB are taken. Split it by session and add the parts.`)
    const given = await answer(api.POST('/api/combinations/{combination_id}/lap-files', { params: { path: { combination_id: props.id } }, ...fileBody(file) }))
    if (!isJob(given)) return given
    const done = await follow(given, tell)
    const id = String(done.result?.file_id)
    return seenInTheEnd(await look(id, []), id, [])
  },
  onSuccess: async (made) => {
    queries.setQueryData(['lap-file', made.id, []], made)
    await router.push({ query: { file: made.id } })
  },
})
interface ImportResult {
  added: number
  changed: number
  kept: number
  same: number
  set_aside: number
  left_out: number
  drivers_added: string[]
}
const result = ref<ImportResult>()
const confirm = useMutation({
  mutationFn: async () => {
    const begun = await answer(
      api.POST('/api/lap-files/{file_id}/import', {
        params: { path: { file_id: fileId.value } },
        body: { revision: seen.value?.revision ?? 0, leave_out: leaveOut.value, differences: differences.value, apart: apart.value },
      }),
    )
    return (await follow(begun, tell)).result as unknown as ImportResult
  },
  onSuccess: async (done) => {
    // First of all: whoever goes on to the result at once must not be called back.
    await router.replace({ query: {} })
    result.value = done
    queries.removeQueries({ queryKey: ['lap-file'] })
    for (const key of ['analysis', 'driver-laps', 'combination', 'combinations', 'imports', 'steps', 'jobs']) void queries.invalidateQueries({ queryKey: [key] })
  },
  onError: () => preview.refetch(),
})
const discard = useMutation({
  mutationFn: () => answer(api.DELETE('/api/lap-files/{file_id}', { params: { path: { file_id: fileId.value } } })),
  onSuccess: () => router.replace({ query: {} }),
})
function take(file: File) {
  result.value = undefined
  confirm.reset()
  upload.mutate(file)
}
const lapsOf = (name: string) => seen.value?.drivers.find((driver) => driver.name === name)?.laps ?? 0
const leftOut = computed(() => leaveOut.value.reduce((sum, name) => sum + lapsOf(name), 0))
const willChange = computed(() => (differences.value === 'take' ? (seen.value?.different_count ?? 0) : 0))
const willAdd = computed(() => Math.max(0, (seen.value?.new ?? 0) - leftOut.value))
const questions = computed(() => seen.value?.sessions.filter((item) => item.there_already || item.label !== item.stored_as || apart.value.includes(item.label)) ?? [])
const sampleCodes = computed(() => Object.keys({ ...seen.value?.sample[0]?.sectors, ...seen.value?.sample[0]?.segments }))
const fieldWords = (fields: string[]) => fields.map((name) => name.replace('_us', '').replaceAll('_', ' ')).join(', ')

function toggle(list: string[], name: string): string[] {
  return list.includes(name) ? list.filter((item) => item !== name) : [...list, name]
}
</script>

<template>
  <div class="top">
    <h1>Add laps</h1>
    <p v-if="combination.data.value">
      to <RouterLink :to="{ name: 'combination', params: { id } }">{{ combination.data.value.track }}, {{ combination.data.value.layout }} · {{ combination.data.value.car }}</RouterLink>
    </p>
    <CombinationSwitch v-if="!seen" :id="id" class="end" />
  </div>
  <TroubleNote :error="combination.error.value" />
  <v-alert v-if="result" type="success" class="my-3" role="status">
    {{ count(result.added, 'lap') }} added<template v-if="result.changed">, {{ result.changed }} changed</template><template v-if="result.kept">, {{ result.kept }} kept as they were</template><template v-if="result.same">, {{ result.same }} were there already</template><template v-if="result.set_aside">, {{ count(result.set_aside, 'row') }} set aside</template><template v-if="result.left_out">, {{ result.left_out }} left out</template>.
    <template v-if="result.drivers_added.length"> New in the team: {{ result.drivers_added.join(', ') }}.</template>
    <template #append><v-btn color="primary" size="small" :to="{ name: 'combination', params: { id } }">See the result</v-btn></template>
  </v-alert>
  <FileDrop v-if="!seen" class="my-3" label="Choose a lap file" accept=".csv,.tsv,.txt,text/csv" hint="*.laps.csv, up to 50 MB" :busy="upload.isPending.value" @file="take" />
  <JobProgress v-if="job" :job="job" />
  <v-progress-linear v-else-if="upload.isPending.value || (preview.isFetching.value && !seen)" indeterminate aria-label="Reading the file" />
  <ImportList v-if="!seen" :combination="id" @changed="result = undefined" />
  <TroubleNote :error="upload.error.value ?? preview.error.value ?? confirm.error.value ?? discard.error.value" />

  <template v-if="seen">
    <section class="sheet facts" aria-labelledby="facts-title">
      <h2 id="facts-title">{{ seen.name }}</h2>
      <p class="sums">
        <span><b>{{ seen.new }}</b> new</span>
        <span><b>{{ seen.same }}</b> there already</span>
        <span :class="{ rust: seen.different_count }"><b>{{ seen.different_count }}</b> differ from what is there</span>
        <span :class="{ rust: seen.set_aside_count }"><b>{{ seen.set_aside_count }}</b> set aside</span>
        <span :class="{ ochre: seen.warnings_count }"><b>{{ seen.warnings_count }}</b> {{ seen.warnings_count === 1 ? 'warning' : 'warnings' }}</span>
      </p>
      <p class="quiet">
        {{ count(seen.rows, 'row') }}, separated by {{ seen.separator }}<template v-if="seen.runs_inferred">; runs told apart by out and in laps</template><template v-if="seen.unused_columns.length">; not used: {{ seen.unused_columns.join(', ') }}</template>.
        {{ seen.drivers.map((driver) => `${driver.name} ${driver.laps}`).join(' · ') }}
      </p>
      <v-alert v-if="seen.imported_before" type="info" class="mt-3">
        The same file was imported here on {{ date(seen.imported_before) }}. You can skip it: nothing would be new.
        <template #append><WorkButton size="small" color="primary" :loading="discard.isPending.value" @click="discard.mutate()">Skip it</WorkButton></template>
      </v-alert>
      <v-alert v-if="seen.other_pace || seen.missing_parts.length" type="warning" class="mt-3" role="alert">
        Is this the right track?
        <template v-if="seen.other_pace">The median lap of the file takes {{ lapTime(seen.other_pace.incoming_us) }}, that of the laps here {{ lapTime(seen.other_pace.stored_us) }}.</template>
        <template v-if="seen.missing_parts.length"> The file has no column for {{ seen.missing_parts.join(', ') }}, which this track has.</template>
      </v-alert>
      <v-alert v-if="seen.other_cars.length" type="warning" class="mt-3">
        Some laps name another car: {{ seen.other_cars.join(', ') }}. They stay in groups of their own and are not compared with the {{ combination.data.value?.car }}.
      </v-alert>
    </section>

    <section v-if="seen.unknown_drivers.length" class="sheet block" aria-labelledby="drivers-title">
      <h2 id="drivers-title">New names</h2>
      <p class="quiet">Nobody in the team is called so yet. Ticked names are added; the laps of the others are left out.</p>
      <v-checkbox
        v-for="name in seen.unknown_drivers"
        :key="name"
        :model-value="!leaveOut.includes(name)"
        :label="`Add ${name} (${count(lapsOf(name), 'lap')})`"
        @update:model-value="leaveOut = toggle(leaveOut, name)"
      />
    </section>

    <section v-if="questions.length" class="sheet block" aria-labelledby="sessions-title">
      <h2 id="sessions-title">Sessions</h2>
      <p class="quiet">A session's label belongs to its file. Where the file's is another session than the one here, say so.</p>
      <div v-for="item in questions" :key="item.label">
        <v-checkbox
          v-if="item.there_already || apart.includes(item.label)"
          :model-value="apart.includes(item.label)"
          :label="
            apart.includes(item.label)
              ? `Session ${item.label} is another one; it is kept as ${item.stored_as}`
              : `Session ${item.label} is taken for the one that is here${item.certain ? '' : ', which is not certain'}; tick if it is another`
          "
          @update:model-value="apart = toggle(apart, item.label)"
        />
        <p v-else>Session {{ item.label }} started at another time than the one here; it is kept as {{ item.stored_as }}.</p>
      </div>
    </section>

    <section v-if="seen.different_count" class="sheet block" aria-labelledby="different-title">
      <h2 id="different-title">Laps that are there with other facts</h2>
      <v-radio-group v-model="differences" inline aria-labelledby="different-title">
        <v-radio value="keep" label="Keep what is there" />
        <v-radio value="take" label="Take the file's" />
      </v-radio-group>
      <div class="scroll-x list" tabindex="0" role="region" aria-label="List of laps that differ">
        <table class="ledger">
          <thead>
            <tr><th scope="col" class="number">Line</th><th scope="col">Driver</th><th scope="col">Lap</th><th scope="col" class="number">There</th><th scope="col" class="number">In the file</th><th scope="col" class="number">Step</th><th scope="col">What differs</th></tr>
          </thead>
          <tbody>
            <tr v-for="row in seen.different" :key="row.line">
              <td class="number">{{ row.line }}</td>
              <td>{{ row.driver }}</td>
              <td>session {{ row.session }}, run {{ row.run }}, lap {{ row.lap }}</td>
              <td class="number">{{ lapTime(row.stored_us) }}</td>
              <td class="number">{{ lapTime(row.file_us) }}</td>
              <td class="number">{{ gap(row.file_us - row.stored_us) }}</td>
              <td>{{ fieldWords(row.fields) }}</td>
            </tr>
          </tbody>
        </table>
      </div>
    </section>

    <section v-if="seen.set_aside_count" class="sheet block" aria-labelledby="aside-title">
      <h2 id="aside-title">Rows set aside</h2>
      <p class="quiet">These stay out; the rest goes in. Mend them in the file and add it again: what is in already is not doubled.</p>
      <div class="scroll-x list" tabindex="0" role="region" aria-label="List of rows set aside">
        <table class="ledger">
          <thead>
            <tr><th scope="col" class="number">Line</th><th scope="col">Column</th><th scope="col">Cell</th><th scope="col">Reason</th></tr>
          </thead>
          <tbody>
            <tr v-for="row in seen.set_aside" :key="row.line">
              <td class="number">{{ row.line }}</td>
              <td>{{ row.column ?? '' }}</td>
              <td><code v-if="row.value">{{ row.value }}</code><span v-else-if="row.column" class="quiet">empty</span></td>
              <td>{{ row.reason }}<template v-if="row.differs"> with other facts</template></td>
            </tr>
          </tbody>
        </table>
      </div>
      <p v-if="seen.set_aside_count > seen.set_aside.length" class="quiet">The first {{ seen.set_aside.length }} of {{ seen.set_aside_count }} are shown.</p>
    </section>

    <section v-if="seen.warnings_count" class="sheet block" aria-labelledby="warnings-title">
      <h2 id="warnings-title">Warnings</h2>
      <ul class="list">
        <li v-for="row in seen.warnings" :key="`${row.line}${row.reason}`">Line {{ row.line }}: {{ row.reason }}</li>
      </ul>
    </section>

    <section v-if="seen.sample.length" class="sheet block" aria-labelledby="sample-title">
      <h2 id="sample-title">The first laps as they were read</h2>
      <div class="scroll-x" tabindex="0" role="region" aria-label="The first laps">
        <table class="ledger">
          <thead>
            <tr>
              <th scope="col">Driver</th><th scope="col">Session</th><th scope="col" class="number">Run</th><th scope="col" class="number">Lap</th><th scope="col">Kind</th><th scope="col" class="number">Time</th>
              <th v-for="code in sampleCodes" :key="code" scope="col" class="number">{{ code }}</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="(lap, index) in seen.sample" :key="index">
              <td>{{ lap.driver }}</td><td>{{ lap.session }}</td><td class="number">{{ lap.run }}</td><td class="number">{{ lap.number }}</td><td>{{ lap.kind }}</td><td class="number">{{ lapTime(lap.time_us) }}</td>
              <td v-for="code in sampleCodes" :key="code" class="number">{{ lapTime({ ...lap.sectors, ...lap.segments }[code]) }}</td>
            </tr>
          </tbody>
        </table>
      </div>
    </section>

    <div class="decide">
      <WorkButton v-if="!willAdd && !willChange && seen.different_count" color="primary" :loading="discard.isPending.value" @click="discard.mutate()">Keep what is there</WorkButton>
      <WorkButton v-else color="primary" :disabled="!willAdd && !willChange" :loading="confirm.isPending.value" @click="confirm.mutate()">
        {{ willAdd || willChange ? `Import ${[willAdd ? count(willAdd, 'lap') : '', willChange ? `change ${willChange}` : ''].filter(Boolean).join(', ')}` : 'Nothing new to import' }}
      </WorkButton>
      <WorkButton v-if="seen.state === 'preview'" variant="outlined" :loading="discard.isPending.value" @click="discard.mutate()">Discard the file</WorkButton>
      <v-btn v-else variant="outlined" :to="{ query: {} }">Leave it out</v-btn>
      <span v-if="leftOut" class="quiet">{{ count(leftOut, 'lap') }} left out</span>
    </div>
  </template>
</template>

<style scoped>
.top {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 2px 14px;
}
.end {
  margin-left: auto;
}
.facts,
.block {
  padding: 10px 16px 12px;
  margin: 10px 0;
}
.sums {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 26px;
  margin: 4px 0;
  font-size: 1.05rem;
}
.sums b {
  font-variant-numeric: tabular-nums;
}
.rust {
  color: var(--loss);
}
.ochre {
  color: var(--ochre);
}
.list {
  max-height: 300px;
  overflow: auto;
  margin-top: 6px;
}
ul.list {
  padding-left: 20px;
}
code {
  background: color-mix(in srgb, var(--ochre) 18%, transparent);
  padding: 0 4px;
  white-space: pre-wrap;
}
.decide {
  position: sticky;
  bottom: 0;
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 12px;
  padding: 12px 0;
  background: var(--paper);
  border-top: 1.5px solid var(--ink);
}
</style>
