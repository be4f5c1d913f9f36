<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { answer, api, Trouble, type Job, type Preview } from '@/shared/api/client'
import { follow, isJob, type JobOf, type Told } from '@/shared/api/jobs'
import { count } from '@/shared/format'
import AsideRows from '@/features/drive/parts/AsideRows.vue'
import FileDifferences from '@/features/drive/parts/FileDifferences.vue'
import FileFacts from '@/features/drive/parts/FileFacts.vue'
import FileQueue from '@/features/drive/parts/FileQueue.vue'
import NewNames from '@/features/drive/parts/NewNames.vue'
import { sendOne, type Queued } from '@/features/drive/sending'
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
import { useCombination, useDrivers } from '@/shared/queries'

const props = defineProps<{ id: string }>()
const route = useRoute()
const router = useRouter()
const queries = useQueryClient()
const fileId = computed(() => (typeof route.query.file === 'string' ? route.query.file : ''))

const combination = useCombination(() => props.id)
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

const queue = ref<Queued[]>([])
const share = ref(0)
const upload = useMutation({
  mutationFn: async (files: File[]) => {
    share.value = 0
    const out: Queued[] = []
    for (const file of files) {
      try {
        out.push(
          ...(await sendOne(
            props.id,
            file,
            (part) => (share.value = part),
            (made) => queries.setQueryData(['lap-file', made.id, []], made),
          )),
        )
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
const drivers = useDrivers()
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
  <FileQueue
    v-if="queue.length"
    :queue="queue"
    :file="fileId"
    :busy="takePlain.isPending.value"
    :trouble="takePlain.error.value"
    @take="takePlain.mutate()"
    @away="queue = []"
  />
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
    <FileFacts
      :seen="seen"
      :car="combination.data.value?.car"
      :mapping="mappingOpen"
      :skipping="discard.isPending.value"
      @skip="discard.mutate()"
      @read-otherwise="mappingOpen = true"
    />

    <MappingStep v-if="seen.mapping.needed || mappingOpen" :key="seen.id" :seen="seen" :names="names" @told="told"
      ><SampleLaps :seen="seen"
    /></MappingStep>

    <NewNames
      v-if="seen.unknown_drivers.length && !seen.mapping.needed"
      :seen="seen"
      :drivers="drivers.data.value?.items"
      :all="all"
      :busy="match.isPending.value"
      :decided="decided"
      :laps-of="lapsOf"
      @decide="decide"
    />

    <FileDifferences v-model:apart="apart" v-model:differences="differences" :seen="seen" />

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

<style scoped src="@/features/drive/laps-in.css"></style>
