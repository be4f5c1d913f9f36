<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, reactive, ref } from 'vue'
import { RouterLink } from 'vue-router'
import { answer, api, type Upload } from '@/shared/api/client'
import { count, fileSize, moment } from '@/shared/format'
import FileDrop from '@/shared/parts/FileDrop.vue'
import SpaceNote from '@/shared/parts/SpaceNote.vue'
import DriveHead from '@/features/drive/parts/DriveHead.vue'
import UnknownDrivers from '@/features/drive/parts/UnknownDrivers.vue'
import JobProgress from '@/shared/parts/JobProgress.vue'
import SkeletonRows from '@/shared/parts/SkeletonRows.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import { useRunsSettled } from '@/features/drive/runs'
import { begun, hold, read, send, type Going } from '@/shared/uploads'

/** Telemetry files of a combination: sent in pieces, read into laps. */
const props = defineProps<{ id: string }>()
const queries = useQueryClient()
const settled = useRunsSettled()
const there = useQuery({
  queryKey: ['uploads', () => props.id],
  queryFn: () =>
    answer(api.GET('/api/combinations/{combination_id}/uploads', { params: { path: { combination_id: props.id } } })),
})
const going = ref<Going[]>([])
async function take(files: File[]) {
  for (const file of files) {
    const item = begun(file)
    going.value = [...going.value, item]
    // One after the other: two at once would only share the line.
    await bring(item, () => send(file, props.id, item))
  }
}
async function bring(item: Going, way: () => Promise<string>, names: Record<string, string> = {}) {
  try {
    const id = await way()
    item.state = 'reading'
    await read(id, names, (job) => (item.job = job))
    item.state = 'done'
    going.value = going.value.filter((other) => other !== item)
  } catch (error) {
    item.state = 'failed'
    item.trouble = (error as Error).message
  } finally {
    await Promise.all([queries.invalidateQueries({ queryKey: ['uploads'] }), settled()])
  }
}
const again = (upload: Upload, names: Record<string, string> = {}) => {
  const item: Going = reactive({
    name: upload.name,
    size: upload.size,
    sent: upload.size,
    state: 'reading',
    trouble: '',
    id: upload.id,
    job: undefined,
  })
  going.value = [...going.value, item]
  void bring(item, () => Promise.resolve(upload.id), names)
}
const forget = useMutation({
  mutationFn: (upload: string) =>
    answer(api.DELETE('/api/uploads/{upload_id}', { params: { path: { upload_id: upload } } })),
  onSettled: () => queries.invalidateQueries({ queryKey: ['uploads'] }),
})
const items = computed(() =>
  (there.data.value?.items ?? []).filter((upload) => !going.value.some((item) => item.id === upload.id)),
)

type Result = NonNullable<Upload['read']>
/** What became of a file, in sentences. */
function words(result: Result): string[] {
  return [
    result.matched
      ? `${count(result.matched, 'lap')} got ${result.matched === 1 ? 'its trace' : 'their traces'}${result.filled ? `; ${result.filled} of them times that they lacked` : ''}.`
      : '',
    result.added
      ? `${count(result.added, 'lap')} known from traces alone ${result.added === 1 ? 'appears' : 'appear'} now.`
      : '',
    result.there
      ? `${count(result.there, 'lap')} had ${result.there === 1 ? 'its trace' : 'their traces'} already.`
      : '',
    result.holed
      ? `${count(result.holed, 'lap')} ${result.holed === 1 ? 'has a stretch' : 'have stretches'} that can’t be used; the rest of ${result.holed === 1 ? 'it' : 'them'} counts.`
      : '',
    result.differs ? `${count(result.differs, 'trace')} of other laps: their time is another. Not used.` : '',
    result.twice + result.ambiguous
      ? `${count(result.twice + result.ambiguous, 'trace')} can’t be told apart. Not used.`
      : '',
    result.short
      ? `${count(result.short, 'trace')} without a whole lap and without a lap that is known. Not used.`
      : '',
    result.others ? `${count(result.others, 'lap')} of colleagues left alone.` : '',
    result.lost_samples ? `${count(result.lost_samples, 'sample')} without driver, session or lap left out.` : '',
    result.ignored.length ? `Columns that aren’t known: ${result.ignored.join(', ')}.` : '',
    !result.matched && !result.added && !result.there && !result.unknown_drivers.length
      ? 'Nothing of it could be used.'
      : '',
  ].filter(Boolean)
}
</script>

<template>
  <DriveHead :id="id" title="Telemetry" />
  <section class="sheet part">
    <FileDrop
      label="Choose telemetry files"
      accept=".parquet,.csv"
      several
      hint="Parquet or CSV after the open format, up to 2 GB each"
      @files="take"
    />
    <SpaceNote />
    <p class="quiet note">
      Laps are cut at the line and at their boundaries. Laps that are known get their traces and the times that they
      lack; the times of lap files win. A file that breaks off goes on from where it was when you choose it again.
      <RouterLink :to="{ name: 'traces', params: { id } }">Look at traces</RouterLink>
    </p>
  </section>
  <section v-for="item in going" :key="item.name + item.id" class="sheet part" :aria-label="item.name">
    <div class="line">
      <b>{{ item.name }}</b>
      <span class="quiet" role="status">{{
        item.state === 'sending'
          ? `${fileSize(item.sent)} of ${fileSize(item.size)} sent`
          : item.state === 'held'
            ? `held at ${fileSize(item.sent)}`
            : item.state === 'reading'
              ? 'being read'
              : ''
      }}</span>
      <button
        v-if="item.state === 'sending' || item.state === 'held'"
        type="button"
        class="link end"
        @click="hold(item)"
      >
        {{ item.state === 'held' ? 'Go on' : 'Hold' }}<span class="visually-hidden">: {{ item.name }}</span>
      </button>
    </div>
    <v-progress-linear
      v-if="item.state === 'sending' || item.state === 'held'"
      :model-value="(100 * item.sent) / item.size"
      :aria-label="`Sending ${item.name}`"
      rounded
      height="8"
    />
    <JobProgress v-if="item.job" :job="item.job" />
    <p v-if="item.state === 'failed'" class="bad" role="alert">{{ item.trouble }}</p>
  </section>
  <TroubleNote :error="there.error.value ?? forget.error.value" :again="() => there.refetch()" />
  <SkeletonRows v-if="there.isPending.value" :rows="3" label="Loading the files" />
  <p v-else-if="!items.length && !going.length" class="quiet">
    No telemetry file yet. A rig can deliver samples by itself: <RouterLink to="/live">see who drives</RouterLink>.
  </p>
  <section v-for="upload in items" :key="upload.id" class="sheet part" :aria-label="upload.name">
    <div class="line">
      <b>{{ upload.name }}</b> <span class="quiet">{{ fileSize(upload.size) }} · {{ moment(upload.began_at) }}</span>
      <span class="end acts">
        <button v-if="upload.state !== 'coming'" type="button" class="link" @click="again(upload)">
          {{ upload.state === 'read' ? 'Read again' : 'Read it'
          }}<span class="visually-hidden">: {{ upload.name }}</span>
        </button>
        <button type="button" class="link" @click="forget.mutate(upload.id)">
          Forget the file<span class="visually-hidden">: {{ upload.name }}</span>
        </button>
      </span>
    </div>
    <p v-if="upload.state === 'coming'" class="ochre">
      {{ fileSize(upload.received) }} of {{ fileSize(upload.size) }} have come. Choose the same file again to go on.
    </p>
    <p v-else-if="upload.state === 'unusable'" class="bad">It can’t be used as telemetry.</p>
    <template v-else-if="upload.read">
      <p v-for="line in words(upload.read)" :key="line">{{ line }}</p>
      <UnknownDrivers
        v-if="upload.read.unknown_drivers.length"
        :names="upload.read.unknown_drivers"
        @said="again(upload, $event)"
      />
      <details v-if="upload.read.told.length">
        <summary>{{ count(upload.read.told.length + upload.read.untold, 'remark') }} about single laps</summary>
        <ul>
          <li v-for="line in upload.read.told" :key="line">{{ line }}</li>
        </ul>
        <p v-if="upload.read.untold" class="quiet">and {{ upload.read.untold }} more of the same kinds</p>
      </details>
    </template>
  </section>
</template>

<style scoped>
.line {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 2px 14px;
}
.acts {
  display: flex;
  gap: 14px;
}
</style>
