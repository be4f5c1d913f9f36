<script setup lang="ts">
import { useMutation, useQueries, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { answer, api, type Job } from '@/shared/api/client'
import { isKind, isOver, type JobOf } from '@/shared/api/jobs'
import { fileSize, moment } from '@/shared/format'
import FileDrop from '@/shared/parts/FileDrop.vue'
import SpaceNote from '@/shared/parts/SpaceNote.vue'
import JobProgress from '@/shared/parts/JobProgress.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import WorkButton from '@/shared/parts/WorkButton.vue'
import { ME, useMe } from '@/shared/session'
import { begun, discard, send, type Going } from '@/shared/uploads'
import { useSeries } from '@/shared/queries'

/** The team's data out, as a package in open formats, and a team in from one. */
const queries = useQueryClient()
const me = useMe()
const telemetry = ref(false)
const week = ref('')
const series = useSeries()
const ofSeries = useQueries({
  queries: computed(() =>
    (series.data.value?.items ?? []).map((item) => ({
      queryKey: ['weeks', item.id],
      queryFn: () => answer(api.GET('/api/series/{series_id}/weeks', { params: { path: { series_id: item.id } } })),
    })),
  ),
})
/** Weeks that have begun, the last one first. */
const weeks = computed(() =>
  ofSeries.value
    .flatMap((item) => item.data?.items ?? [])
    .filter((item) => new Date(item.begins_at) <= new Date())
    .sort((one, other) => other.begins_at.localeCompare(one.begins_at)),
)
/** Those of its own kinds, in the order of the list. */
const ours = (job: Job): job is JobOf<'team.package'> | JobOf<'team.bring'> =>
  isKind(job, 'team.package') || isKind(job, 'team.bring')
const DAY = 86_400_000
/** What is done in the background: packages that are kept for a day, and teams that came in. Seen by whoever manages, also after the page was left. */
const jobs = useQuery({
  queryKey: ['jobs'],
  queryFn: () => answer(api.GET('/api/jobs')),
  refetchInterval: (query) => (query.state.data?.items.some((job) => ours(job) && !isOver(job)) ? 1500 : false),
})
const recent = computed(() =>
  (jobs.data.value?.items ?? [])
    .filter(ours)
    .filter((job) => Date.now() - new Date(job.ended_at ?? job.made_at).getTime() < DAY),
)
const under = computed(() => recent.value.filter((job) => !isOver(job)))
const made = computed(() =>
  recent.value.flatMap((job) =>
    job.kind === 'team.package' && job.state === 'done' && job.result ? [{ job, told: job.result }] : [],
  ),
)
/** The last of each kind, if it came to nothing. */
const broken = computed(() =>
  ['team.package', 'team.bring']
    .flatMap((kind) => recent.value.find((job) => job.kind === kind) ?? [])
    .filter((job) => job.state === 'failed'),
)
const came = computed(() =>
  recent.value.flatMap((job) =>
    job.kind === 'team.bring' && job.state === 'done' && job.result && job.person === me.data.value?.person
      ? [{ job, told: job.result }]
      : [],
  ),
)
/** Whoever brought a team in is in one more. */
watch(
  () => came.value.length,
  () => queries.invalidateQueries({ queryKey: ME }),
)
const again = () => queries.invalidateQueries({ queryKey: ['jobs'] })
const make = useMutation({
  mutationFn: () =>
    answer(
      api.POST('/api/team/packages', { body: { weeks: week.value ? [week.value] : null, telemetry: telemetry.value } }),
    ),
  onSettled: again,
})
const going = ref<Going>()
const bring = useMutation({
  mutationFn: async (file: File) => {
    going.value = begun(file)
    try {
      const id = await send(file, null, going.value)
      return await answer(api.POST('/api/uploads/{upload_id}/team', { params: { path: { upload_id: id } } }))
    } finally {
      going.value = undefined
    }
  },
  onSettled: again,
})
const ways = useMutation({
  mutationFn: (job_id: string) => answer(api.POST('/api/team/brought/{job_id}/ways', { params: { path: { job_id } } })),
})
const LISTS = {
  weeks: 'weeks of series',
  entries: 'entries',
  results: 'results',
  laps: 'laps',
  runs: 'runs',
  blocks: 'practice blocks',
  references: 'references',
  lessons: 'what was learned',
}
const enter = useMutation({
  mutationFn: (team_id: string) => answer(api.POST('/api/me/team', { body: { team_id } })),
  onSuccess: () => window.location.assign('/'),
})
</script>

<template>
  <section class="sheet part" aria-labelledby="data-title">
    <h2 id="data-title">The team’s data</h2>
    <p>
      Everything as CSV tables with their description, in one zip: an exchange package, which any spreadsheet reads, and
      from which the team can be made again. Ways in and passwords are never in it.
    </p>
    <form class="row" @submit.prevent="make.mutate()">
      <label
        >What
        <select v-model="week">
          <option value="">everything</option>
          <option v-for="item in weeks" :key="item.id" :value="item.id">
            {{ item.facts.series }}, week {{ item.facts.week }} alone
          </option>
        </select></label
      >
      <v-checkbox v-model="telemetry" label="With traces, which are large" hide-details />
      <WorkButton type="submit" variant="outlined" color="primary" :loading="make.isPending.value"
        >Make a package</WorkButton
      >
    </form>
    <JobProgress v-for="job in under" :key="job.id" :job="job" />
    <ul v-if="made.length" class="plain" aria-label="Packages">
      <li v-for="{ job, told: pack } in made" :key="job.id">
        <span
          ><a :href="`/api/team/packages/${job.id}`" download>{{ pack.file }}</a>
          <span class="quiet"
            >{{ fileSize(pack.bytes) }}<template v-if="pack.telemetry"> with traces</template>,
            {{ pack.rows.toLocaleString('en') }} rows, {{ moment(job.ended_at ?? job.made_at) }}; kept for a day</span
          ></span
        >
      </li>
    </ul>
    <p v-for="job in broken" :key="job.id" role="alert" class="bad">{{ job.name }}: {{ job.trouble }}</p>
    <h3>Lists for a spreadsheet</h3>
    <ul class="lists">
      <li v-for="(called, name) in LISTS" :key="name">
        {{ called }}:
        <a :href="`/api/lists/${name}.csv`" download
          >CSV<span class="visually-hidden"> of {{ called }}</span></a
        >
        ·
        <a :href="`/api/lists/${name}.xlsx`" download
          >XLSX<span class="visually-hidden"> of {{ called }}</span></a
        >
      </li>
    </ul>
    <h3>Bring a team in</h3>
    <p class="quiet">A package makes a team of its own, which you manage. It adds nothing to this one.</p>
    <FileDrop
      label="An exchange package"
      hint="up to 2 GB, sent in pieces"
      accept=".zip"
      :busy="bring.isPending.value"
      @file="bring.mutate($event)"
    />
    <SpaceNote />
    <div v-if="going" class="sending">
      <p role="status">{{ going.name }}: {{ fileSize(going.sent) }} of {{ fileSize(going.size) }} sent</p>
      <div class="line">
        <v-progress-linear
          :model-value="(100 * going.sent) / going.size"
          :aria-label="`Sending ${going.name}`"
          rounded
          height="8"
        /><v-btn size="small" variant="outlined" @click="discard(going)"
          >Cancel<span class="visually-hidden">: sending {{ going.name }}</span></v-btn
        >
      </div>
    </div>
    <TroubleNote
      :error="
        make.error.value ??
        bring.error.value ??
        enter.error.value ??
        ways.error.value ??
        series.error.value ??
        jobs.error.value
      "
    />
    <v-alert v-for="{ job, told: team } in came" :key="job.id" type="info" role="status" class="my-2">
      <b>{{ team.team }} came in with {{ team.rows.toLocaleString('en') }} rows.</b>
      <template v-if="team.newcomers.length">
        <p v-if="ways.variables.value !== job.id || !ways.data.value">
          {{ team.newcomers.length }} {{ team.newcomers.length === 1 ? 'person wasn’t' : 'people weren’t' }} known here.
          <WorkButton size="small" variant="outlined" :loading="ways.isPending.value" @click="ways.mutate(job.id)"
            >Make their ways in</WorkButton
          >
        </p>
        <p v-else-if="!ways.data.value.items.length">All of them have their ways in already.</p>
        <template v-else>
          <p>Hand these ways in on; they can’t be seen again.</p>
          <ul>
            <li v-for="way in ways.data.value.items" :key="way.sign_in_name">
              {{ way.name }}, {{ way.role }}: <code>{{ way.sign_in_name }}</code> with <code>{{ way.password }}</code>
            </li>
          </ul>
        </template>
      </template>
      <template #append
        ><v-btn size="small" color="primary" @click="enter.mutate(team.team_id)">Go to {{ team.team }}</v-btn></template
      >
    </v-alert>
  </section>
</template>

<style scoped>
label {
  display: grid;
}
.line {
  display: flex;
  align-items: center;
  gap: 14px;
}
.lists {
  columns: 3 220px;
}
h3 {
  margin-top: 12px;
}
</style>
