<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { answer, api, sendFile, Trouble, type Job, type Preview } from '@/shared/api/client'
import { follow, isJob, type JobOf, type Told } from '@/shared/api/jobs'
import { count, date, gap, lapTime } from '@/shared/format'
import AsideRows from '@/features/drive/parts/AsideRows.vue'
import DriveHead from '@/features/drive/parts/DriveHead.vue'
import MappingStep from '@/features/drive/parts/MappingStep.vue'
import SampleLaps from '@/features/drive/parts/SampleLaps.vue'
import FileDrop from '@/shared/parts/FileDrop.vue'
import SpaceNote from '@/shared/parts/SpaceNote.vue'
import ImportList from '@/features/drive/parts/ImportList.vue'
import JobProgress from '@/shared/parts/JobProgress.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import WorkButton from '@/shared/parts/WorkButton.vue'
import { useMay } from '@/shared/session'

const MOST_BYTES = 50_000_000
const props = defineProps<{ id: string }>()
const route = useRoute()
const router = useRouter()
const queries = useQueryClient()
const fileId = computed(() => (typeof route.query.file === 'string' ? route.query.file : ''))

const combination = useQuery({
  queryKey: ['combination', () => props.id],
  queryFn: () =>
    answer(api.GET('/api/combinations/{combination_id}', { params: { path: { combination_id: props.id } } })),
})
const apart = ref<string[]>([])
const leaveOut = ref<string[]>([])
const differences = ref<'keep' | 'take'>('keep')
/** What is at work for this page now. */
const job = ref<Job>()
const tell = (now: Job | undefined) => (job.value = now)
const look = (id: string, wanted: string[]) =>
  answer(api.GET('/api/lap-files/{file_id}', { params: { path: { file_id: id }, query: { apart: wanted } } }))
/** A large file is looked at in the background; what was found is there afterwards. */
async function seenInTheEnd(first: Preview | JobOf<'laps.look'>, id: string, wanted: string[]): Promise<Preview> {
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
// Of a large file the beginning is there at once; the rest is looked at meanwhile.
watch(
  () => (seen.value?.partial && !seen.value.mapping.needed ? seen.value.id : ''),
  (id) => id && void preview.refetch(),
  { immediate: true },
)
watch(fileId, () => {
  apart.value = []
  leaveOut.value = []
  guests.value = []
  mappingOpen.value = false
  differences.value = 'keep'
})

/** Files that came together, or in one zip: each is looked at, and goes in, on its own. */
interface Queued {
  name: string
  id: string | null
  trouble: string
  done: string
}
const queue = ref<Queued[]>([])
const share = ref(0)
function tooLarge(file: File) {
  // Told before it is sent: the server would break off in the middle.
  return file.size > MOST_BYTES
    ? `${file.name} has ${Math.ceil(file.size / 1e6)} MB; up to 50 MB are taken. Split it by session and add the parts.`
    : ''
}
async function sendOne(file: File): Promise<Queued[]> {
  const large = tooLarge(file)
  if (large) throw new Trouble(large)
  const path = `/api/combinations/${props.id}`
  if (await isZip(file)) {
    const found = await sendFile<{ items: { name: string; id: string | null; refused: string | null }[] }>(
      `${path}/lap-archives`,
      file,
      (part) => (share.value = part),
    )
    return found.items.map((item) => ({ name: item.name, id: item.id, trouble: item.refused ?? '', done: '' }))
  }
  const made = await sendFile<Preview>(`${path}/lap-files`, file, (part) => (share.value = part))
  queries.setQueryData(['lap-file', made.id, []], made)
  return [{ name: made.name, id: made.id, trouble: '', done: '' }]
}
/** A zip of files begins like a spreadsheet, which is one too: the name tells them apart, the server looks inside. */
async function isZip(file: File): Promise<boolean> {
  const head = new Uint8Array(await file.slice(0, 4).arrayBuffer())
  return head[0] === 0x50 && head[1] === 0x4b && !/\.(xlsx|ods|xlsm)$/i.test(file.name)
}
const upload = useMutation({
  mutationFn: async (files: File[]) => {
    share.value = 0
    const out: Queued[] = []
    for (const file of files) {
      try {
        out.push(...(await sendOne(file)))
      } catch (error) {
        if (files.length === 1) throw error
        out.push({ name: file.name, id: null, trouble: (error as Error).message, done: '' })
      }
    }
    return out
  },
  onSuccess: async (found) => {
    queue.value = found.length > 1 ? found : []
    const first = found.find((item) => item.id)
    if (first && found.length === 1) await router.push({ query: { file: first.id } })
    else if (found.length === 1 && found[0]?.trouble) throw new Trouble(found[0].trouble)
  },
})
/** Whether a file can go in without anybody deciding anything. */
const isPlain = (found: Preview) =>
  !found.partial &&
  !found.problem &&
  !found.mapping.needed &&
  found.new > 0 &&
  !found.set_aside_count &&
  !found.different_count &&
  !found.unknown_drivers.length &&
  !found.other_pace &&
  !found.missing_parts.length &&
  found.sessions.every((item) => item.certain)
const takePlain = useMutation({
  mutationFn: async () => {
    for (const item of queue.value.filter((one) => one.id && !one.done)) {
      const id = item.id ?? ''
      try {
        const found = await seenInTheEnd(await look(id, []), id, [])
        if (found.state === 'imported') item.done = 'in already'
        else if (
          !found.new &&
          !found.set_aside_count &&
          !found.different_count &&
          !found.mapping.needed &&
          !found.problem
        )
          item.done = 'nothing new in it'
        else if (isPlain(found)) {
          const begun = await answer(
            api.POST('/api/lap-files/{file_id}/import', {
              params: { path: { file_id: id } },
              body: { revision: found.revision, leave_out: [], differences: 'keep', apart: [], guests: [] },
            }),
          )
          item.done = `${count((await follow(begun, tell)).added, 'lap')} added`
        } else item.trouble = 'needs a look'
      } catch (error) {
        item.trouble = (error as Error).message
      }
    }
    await refreshed()
  },
})
async function refreshed() {
  queries.removeQueries({ queryKey: ['lap-file'] })
  for (const key of ['analysis', 'driver-laps', 'combination', 'combinations', 'imports', 'runs', 'steps', 'jobs'])
    void queries.invalidateQueries({ queryKey: [key] })
}
const result = ref<Told<JobOf<'laps.import'>> & { id: string }>()
const confirm = useMutation({
  mutationFn: async () => {
    const begun = await answer(
      api.POST('/api/lap-files/{file_id}/import', {
        params: { path: { file_id: fileId.value } },
        body: {
          revision: seen.value?.revision ?? 0,
          leave_out: leaveOut.value,
          differences: differences.value,
          apart: apart.value,
          guests: guests.value,
        },
      }),
    )
    return follow(begun, tell)
  },
  onSuccess: async (done) => {
    const sent = fileId.value
    // First of all: whoever goes on to the result at once must not be called back.
    await router.replace({ query: {} })
    result.value = { ...done, id: sent }
    const mine = queue.value.find((item) => item.id === result.value?.id)
    if (mine) Object.assign(mine, { done: `${count(done.added, 'lap')} added`, trouble: '' })
    await refreshed()
  },
  onError: () => preview.refetch(),
})
const discard = useMutation({
  mutationFn: () => answer(api.DELETE('/api/lap-files/{file_id}', { params: { path: { file_id: fileId.value } } })),
  onSuccess: () => router.replace({ query: {} }),
})
function take(files: File[]) {
  result.value = undefined
  confirm.reset()
  upload.mutate(files)
}
/** Rows of a file that is in already, to be mended and put in after all. */
const again = useMutation({
  mutationFn: async (id: string) => {
    const found = await answer(api.POST('/api/lap-files/{file_id}/again', { params: { path: { file_id: id } } }))
    return isJob(found) ? (await follow(found, tell)).file_id : found.id
  },
  onSuccess: (id) => {
    result.value = undefined
    return router.push({ query: { file: id } })
  },
})

// Names of the file that nobody in the team has: added, added as guests, told to be somebody, or left out.
const drivers = useQuery({ queryKey: ['drivers'], queryFn: () => answer(api.GET('/api/drivers')) })
const guests = ref<string[]>([])
const may = useMay()
/** Who doesn't see all adds nobody: the laps are the own ones, under whatever name. */
const all = computed(() => may('drivers.see_all'))
const idOf = (name: string) => drivers.data.value?.items.find((item) => item.name === name)?.id ?? ''
/** Names in the file, and whose id that is. */
const names = computed(() =>
  Object.fromEntries(Object.entries(seen.value?.mapping.names ?? {}).map(([name, driver]) => [name, idOf(driver)])),
)
const mappingOpen = ref(false)
const table = computed(() => {
  const mapping = seen.value?.mapping
  if (!mapping?.told) return null
  const columns = Object.fromEntries(
    mapping.columns
      .filter((item) => item.target)
      .map((item) => [item.name, { target: item.target ?? '', unit: item.unit }]),
  )
  return { columns, splits: mapping.splits, rows: mapping.rows, constants: mapping.constants }
})
const match = useMutation({
  mutationFn: (wanted: Record<string, string>) =>
    answer(
      api.PUT('/api/lap-files/{file_id}/reading', {
        params: { path: { file_id: fileId.value } },
        body: { table: table.value, names: wanted, confirmed: true },
      }),
    ),
  onSuccess: () => preview.refetch(),
})
function decide(name: string, what: string) {
  leaveOut.value = leaveOut.value.filter((item) => item !== name)
  guests.value = guests.value.filter((item) => item !== name)
  if (what === 'out') leaveOut.value.push(name)
  else if (what === 'guest') guests.value.push(name)
  else if (what !== 'add') match.mutate({ ...names.value, [name]: what })
}
const decided = (name: string) =>
  !all.value || leaveOut.value.includes(name) ? 'out' : guests.value.includes(name) ? 'guest' : 'add'
async function told() {
  mappingOpen.value = false
  await preview.refetch()
}
const lapsOf = (name: string) => seen.value?.drivers.find((driver) => driver.name === name)?.laps ?? 0
const leftOut = computed(() =>
  (seen.value?.unknown_drivers ?? [])
    .filter((name) => decided(name) === 'out')
    .reduce((sum, name) => sum + lapsOf(name), 0),
)
const willChange = computed(() => (differences.value === 'take' ? (seen.value?.different_count ?? 0) : 0))
const willAdd = computed(() => Math.max(0, (seen.value?.new ?? 0) - leftOut.value))
const questions = computed(
  () =>
    seen.value?.sessions.filter(
      (item) => item.there_already || item.label !== item.stored_as || apart.value.includes(item.label),
    ) ?? [],
)
const fieldWords = (fields: string[]) => fields.map((name) => name.replace('_us', '').replaceAll('_', ' ')).join(', ')

function toggle(list: string[], name: string): string[] {
  return list.includes(name) ? list.filter((item) => item !== name) : [...list, name]
}
</script>

<template>
  <DriveHead :id="id" title="Add laps" :still="!!seen" />
  <v-alert v-if="result" type="success" class="my-3" role="status">
    {{ count(result.added, 'lap') }} added<template v-if="result.changed">, {{ result.changed }} changed</template
    ><template v-if="result.kept">, {{ result.kept }} kept as they were</template
    ><template v-if="result.same">, {{ result.same }} were there already</template
    ><template v-if="result.set_aside">, {{ count(result.set_aside, 'row') }} set aside</template
    ><template v-if="result.left_out">, {{ result.left_out }} left out</template>.
    <template v-if="result.drivers_added.length"> New in the team: {{ result.drivers_added.join(', ') }}.</template>
    <template #append>
      <v-btn
        v-if="result.set_aside"
        variant="outlined"
        size="small"
        class="mr"
        :loading="again.isPending.value"
        @click="again.mutate(result.id)"
        >Mend what was set aside</v-btn
      >
      <v-btn color="primary" size="small" :to="{ name: 'combination', params: { id } }">See the result</v-btn>
    </template>
  </v-alert>
  <FileDrop
    v-if="!seen"
    class="my-3"
    label="Choose lap files"
    accept=".csv,.tsv,.txt,.xlsx,.ods,.json,.jsonl,.ndjson,.parquet,.zip,text/csv"
    hint="CSV, TSV, XLSX, ODS, JSON lines, Parquet, or a zip of them; up to 50 MB each"
    several
    :busy="upload.isPending.value"
    @files="take"
  />
  <SpaceNote v-if="!seen" />
  <section v-if="queue.length" class="sheet block" aria-labelledby="queue-title">
    <h2 id="queue-title">{{ count(queue.length, 'file') }} to go in</h2>
    <ul class="plain">
      <li v-for="item in queue" :key="item.id ?? item.name">
        <span
          >{{ item.name }} <span v-if="item.done" class="quiet">{{ item.done }}</span><span
            v-else-if="item.trouble"
            class="rust"
            >{{ item.trouble }}</span
          ></span
        >
        <v-btn
          v-if="item.id && !item.done"
          size="small"
          :variant="item.id === fileId ? 'flat' : 'outlined'"
          :to="{ query: { file: item.id } }"
          >Look<span class="visually-hidden"> at {{ item.name }}</span></v-btn
        >
      </li>
    </ul>
    <div class="buttons">
      <WorkButton
        color="primary"
        :disabled="!queue.some((item) => item.id && !item.done)"
        :loading="takePlain.isPending.value"
        @click="takePlain.mutate()"
        >Import all that need no decision</WorkButton
      >
      <v-btn variant="outlined" @click="queue = []">Put the list away</v-btn>
    </div>
    <TroubleNote :error="takePlain.error.value" />
  </section>
  <JobProgress v-if="job" :job="job" />
  <v-progress-linear
    v-else-if="upload.isPending.value && share < 1"
    :model-value="100 * share"
    aria-label="Sending the file"
  />
  <v-progress-linear
    v-else-if="upload.isPending.value || (preview.isFetching.value && !seen)"
    indeterminate
    aria-label="Reading the file"
  />
  <ImportList v-if="!seen" :combination="id" @changed="result = undefined" @again="again.mutate($event)" />
  <TroubleNote
    :error="
      upload.error.value ??
      preview.error.value ??
      confirm.error.value ??
      discard.error.value ??
      again.error.value ??
      match.error.value
    "
  />

  <template v-if="seen">
    <section class="sheet facts" aria-labelledby="facts-title">
      <h2 id="facts-title">{{ seen.name }}</h2>
      <p v-if="!seen.problem" class="sums">
        <span
          ><b>{{ seen.new }}</b> new</span
        >
        <span
          ><b>{{ seen.same }}</b> there already</span
        >
        <span :class="{ rust: seen.different_count }"
          ><b>{{ seen.different_count }}</b> differ from what is there</span
        >
        <span :class="{ rust: seen.set_aside_count }"
          ><b>{{ seen.set_aside_count }}</b> set aside</span
        >
        <span :class="{ ochre: seen.warnings_count }"
          ><b>{{ seen.warnings_count }}</b> {{ seen.warnings_count === 1 ? 'warning' : 'warnings' }}</span
        >
      </p>
      <p class="quiet">
        <template v-if="seen.partial">The beginning of the file: </template>{{ count(seen.rows, 'row') }},
        {{ ['comma', 'semicolon', 'tab'].includes(seen.separator) ? `separated by ${seen.separator}` : seen.separator
        }}<template v-if="seen.mended">; {{ count(seen.mended, 'line') }} mended</template
        ><template v-if="seen.runs_inferred">; runs told apart by out and in laps</template
        ><template v-if="seen.unused_columns.length">; not used: {{ seen.unused_columns.join(', ') }}</template
        >.
        {{ seen.drivers.map((driver) => `${driver.name} ${driver.laps}`).join(' · ') }}
      </p>
      <p v-if="!seen.mapping.needed && !mappingOpen" class="quiet">
        <template v-if="seen.mapping.remembered">Columns are read as they were last time for this source.</template
        ><template v-else-if="seen.mapping.told">Columns are read as you said.</template
        ><template v-else>Columns are read by their names.</template> {{ ' '
        }}<button v-if="seen.state === 'preview'" type="button" class="link" @click="mappingOpen = true">
          Read them otherwise
        </button>
        <template v-for="(driver, name) in seen.mapping.names" :key="name"> {{ name }} is {{ driver }}.</template>
      </p>
      <v-alert v-if="seen.imported_before" type="info" class="mt-3">
        The same file was imported here on {{ date(seen.imported_before) }}. You can skip it: nothing would be new.
        <template #append
          ><WorkButton size="small" color="primary" :loading="discard.isPending.value" @click="discard.mutate()"
            >Skip it</WorkButton
          ></template
        >
      </v-alert>
      <v-alert v-if="seen.other_pace || seen.missing_parts.length" type="warning" class="mt-3" role="alert">
        Is this the right track?
        <template v-if="seen.other_pace"
          >The median lap of the file takes {{ lapTime(seen.other_pace.incoming_us) }}, that of the laps here
          {{ lapTime(seen.other_pace.stored_us) }}.</template
        >
        <template v-if="seen.missing_parts.length">
          The file has no column for {{ seen.missing_parts.join(', ') }}, which this track has.</template
        >
      </v-alert>
      <v-alert v-if="seen.other_cars.length" type="warning" class="mt-3">
        Some laps name another car: {{ seen.other_cars.join(', ') }}. They stay in groups of their own and are not
        compared with the {{ combination.data.value?.car }}.
      </v-alert>
    </section>

    <MappingStep v-if="seen.mapping.needed || mappingOpen" :key="seen.id" :seen="seen" :names="names" @told="told"
      ><SampleLaps :seen="seen"
    /></MappingStep>

    <section
      v-if="seen.unknown_drivers.length && !seen.mapping.needed"
      class="sheet block"
      aria-labelledby="drivers-title"
    >
      <h2 id="drivers-title">New names</h2>
      <p class="quiet">
        Nobody in the team is called so yet. A guest’s laps are for comparison only; another spelling of somebody’s name
        is known from then on.
      </p>
      <p v-for="name in seen.unknown_drivers" :key="name" class="who">
        <label
          >{{ name }} <span class="quiet">({{ count(lapsOf(name), 'lap') }})</span>
          <select
            :value="decided(name)"
            :disabled="match.isPending.value"
            @change="decide(name, ($event.target as HTMLSelectElement).value)"
          >
            <template v-if="all"
              ><option value="add">add to the team</option>
              <option value="guest">add as a guest</option></template
            >
            <option value="out">leave out</option>
            <option v-for="item in drivers.data.value?.items" :key="item.id" :value="item.id">
              is {{ item.name }}
            </option>
          </select>
        </label>
      </p>
    </section>

    <section v-if="questions.length" class="sheet block" aria-labelledby="sessions-title">
      <h2 id="sessions-title">Sessions</h2>
      <p class="quiet">
        A session's label belongs to its file. Where the file's is another session than the one here, say so.
      </p>
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
        <p v-else>
          Session {{ item.label }} started at another time than the one here; it is kept as {{ item.stored_as }}.
        </p>
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
            <tr>
              <th scope="col" class="number">Line</th>
              <th scope="col">Driver</th>
              <th scope="col">Lap</th>
              <th scope="col" class="number">There</th>
              <th scope="col" class="number">In the file</th>
              <th scope="col" class="number">Step</th>
              <th scope="col">What differs</th>
            </tr>
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

    <AsideRows v-if="seen.set_aside_count && !seen.mapping.needed" :seen="seen" @mended="preview.refetch()" />

    <section v-if="seen.warnings_count" class="sheet block" aria-labelledby="warnings-title">
      <h2 id="warnings-title">Warnings</h2>
      <ul class="list">
        <li v-for="row in seen.warnings" :key="`${row.line}${row.reason}`">Line {{ row.line }}: {{ row.reason }}</li>
      </ul>
    </section>

    <section
      v-if="seen.sample.length && !seen.mapping.needed && !mappingOpen"
      class="sheet block"
      aria-labelledby="sample-title"
    >
      <h2 id="sample-title">The first laps as they were read</h2>
      <SampleLaps :seen="seen" />
    </section>

    <div v-if="!seen.mapping.needed && !mappingOpen" class="decide">
      <WorkButton
        v-if="!willAdd && !willChange && seen.different_count"
        color="primary"
        :loading="discard.isPending.value"
        @click="discard.mutate()"
        >Keep what is there</WorkButton
      >
      <WorkButton
        v-else
        color="primary"
        :disabled="(!willAdd && !willChange) || seen.partial || preview.isFetching.value"
        :loading="confirm.isPending.value"
        @click="confirm.mutate()"
      >
        {{
          willAdd || willChange
            ? `Import ${[willAdd ? count(willAdd, 'lap') : '', willChange ? `change ${willChange}` : ''].filter(Boolean).join(', ')}`
            : 'Nothing new to import'
        }}
      </WorkButton>
      <WorkButton
        v-if="seen.state === 'preview'"
        variant="outlined"
        :loading="discard.isPending.value"
        @click="discard.mutate()"
        >Discard the file</WorkButton
      >
      <v-btn v-else variant="outlined" :to="{ query: {} }">Leave it out</v-btn>
      <span v-if="leftOut" class="quiet">{{ count(leftOut, 'lap') }} left out</span>
    </div>
  </template>
</template>

<style scoped>
.mr {
  margin-right: 8px;
}
.who label {
  display: inline-flex;
  gap: 8px;
  align-items: center;
  margin: 2px 0;
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
