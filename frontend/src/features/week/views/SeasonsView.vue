<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { RouterLink, useRoute, useRouter } from 'vue-router'
import { answer, api, theirsOf, version, type Series, type SeriesWeek } from '@/shared/api/client'
import { count, plainDay, timeOfDay } from '@/shared/format'
import WeekHead from '@/features/week/parts/WeekHead.vue'
import EnterDialog from '@/features/week/parts/EnterDialog.vue'
import SeasonImport from '@/features/week/parts/SeasonImport.vue'
import WeekDialog from '@/features/week/parts/WeekDialog.vue'
import NewName from '@/shared/parts/NewName.vue'
import SkeletonRows from '@/shared/parts/SkeletonRows.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import WorkButton from '@/shared/parts/WorkButton.vue'
import { useMay } from '@/shared/session'
import { raceWords } from '@/shared/words'
import { useSeries } from '@/shared/queries'

const queries = useQueryClient()
const route = useRoute()
const router = useRouter()
const may = useMay()
const all = computed(() => may('series.change'))
const list = useSeries()
const chosen = computed(
  () => list.data.value?.items.find((item) => item.id === route.query.series) ?? list.data.value?.items[0],
)
const id = computed(() => chosen.value?.id ?? '')
const weeks = useQuery({
  queryKey: ['weeks', id],
  enabled: computed(() => !!id.value),
  queryFn: () => answer(api.GET('/api/series/{series_id}/weeks', { params: { path: { series_id: id.value } } })),
})
const rows = computed(() => weeks.data.value?.items ?? [])
const now = new Date()
const state = (week: SeriesWeek) =>
  new Date(week.ends_at) <= now ? 'over' : new Date(week.begins_at) <= now ? 'running' : 'coming'
const dialog = ref<{ week?: SeriesWeek; last?: SeriesWeek }>()
const entering = ref(false)
const importing = ref(false)
watch(
  () => list.data.value,
  (data) => data && !data.items.length && (importing.value = true),
  { immediate: true },
)
const settle = () =>
  Promise.all(
    ['series', 'weeks', 'board', 'steps', 'history'].map((key) => queries.invalidateQueries({ queryKey: [key] })),
  )

const name = ref('')
const add = useMutation({
  mutationFn: () => answer(api.POST('/api/series', { body: { name: name.value, note: null } })),
  onSuccess: (made) => {
    name.value = ''
    void router.replace({ query: { series: made.id } })
  },
  onSettled: settle,
})
const renaming = ref<Series>()
const newName = ref('')
const rename = useMutation({
  mutationFn: (row: Series) =>
    answer(
      api.PUT('/api/series/{series_id}', {
        params: { path: { series_id: row.id }, header: version(row.version) },
        body: { name: newName.value, note: row.note },
      }),
    ),
  onSuccess: () => (renaming.value = undefined),
  onSettled: settle,
})
const theirs = computed(() => theirsOf<{ items: Series[] }>(rename.error.value)?.items[0])
const remove = useMutation({
  mutationFn: (row: Series) =>
    answer(api.DELETE('/api/series/{series_id}', { params: { path: { series_id: row.id } } })),
  onSettled: settle,
})
const removeWeek = useMutation({
  mutationFn: (week: SeriesWeek) =>
    answer(api.DELETE('/api/weeks/{week_id}', { params: { path: { week_id: week.id } } })),
  onSettled: settle,
})
</script>

<template>
  <WeekHead title="Seasons">
    <template v-if="all">
      <v-btn size="small" variant="outlined" color="primary" @click="importing = !importing">Season file</v-btn>
      <v-btn size="small" variant="outlined" color="primary" @click="entering = true">Enter drivers</v-btn>
    </template>
  </WeekHead>
  <SkeletonRows v-if="list.isPending.value" :rows="8" label="Loading the series" />
  <TroubleNote :error="list.error.value" :again="() => list.refetch()" />
  <SeasonImport v-if="importing && all" class="import" />
  <section v-if="list.data.value && !list.data.value.items.length" class="sheet empty">
    <h2>No series yet</h2>
    <p v-if="all">Import a season file, or name a series and write its weeks by hand.</p>
    <p v-else>Your manager or coach adds them; then the season stands here.</p>
  </section>
  <div v-if="list.data.value" class="pick">
    <div role="group" aria-label="Series" class="names">
      <button
        v-for="item in list.data.value.items"
        :key="item.id"
        type="button"
        :aria-pressed="item.id === id"
        @click="router.replace({ query: { series: item.id } })"
      >
        {{ item.name }} <span class="quiet">{{ count(item.weeks, 'week') }}</span>
      </button>
    </div>
    <NewName v-if="all" v-model="name" what="series" :busy="add.isPending.value" @add="add.mutate()" />
  </div>
  <TroubleNote :error="add.error.value ?? remove.error.value ?? removeWeek.error.value" />
  <template v-if="chosen">
    <div class="head">
      <form
        v-if="renaming"
        v-draft="`series ${renaming.id}`"
        class="new"
        @submit.prevent="rename.mutate(theirs ?? renaming)"
      >
        <input v-model="newName" class="field" aria-label="New name" maxlength="120" />
        <WorkButton size="small" type="submit" color="primary" :loading="rename.isPending.value">{{
          theirs ? 'Write mine over it' : 'Keep'
        }}</WorkButton>
        <v-btn size="small" variant="outlined" @click="renaming = undefined">Leave it</v-btn>
        <span v-if="theirs" class="bad" role="alert">Somebody else renamed it to {{ theirs.name }} meanwhile.</span>
        <TroubleNote v-else :error="rename.error.value" />
      </form>
      <h2 v-else>{{ chosen.name }}</h2>
      <span class="actions">
        <template v-if="all">
          <v-btn size="small" color="primary" @click="dialog = { last: rows.at(-1) }">Add a week</v-btn>
          <v-btn size="small" variant="outlined" @click="((renaming = chosen), (newName = chosen.name), rename.reset())"
            >Rename</v-btn
          >
          <v-btn size="small" variant="outlined" @click="remove.mutate(chosen)">Remove</v-btn>
        </template>
        <v-btn size="small" variant="outlined" color="primary" :href="`/api/series/${id}/season.csv`">CSV</v-btn>
        <v-btn size="small" variant="outlined" color="primary" :href="`/api/series/${id}/season.xlsx`">XLSX</v-btn>
        <v-btn size="small" variant="outlined" color="primary" :href="`/api/series/${id}/season.ics`">Calendar</v-btn>
      </span>
    </div>
    <SkeletonRows v-if="weeks.isPending.value" :rows="12" label="Loading the weeks" />
    <TroubleNote :error="weeks.error.value" :again="() => weeks.refetch()" />
    <p v-if="weeks.data.value && !rows.length" class="quiet note">No week yet.</p>
    <div v-if="rows.length" class="scroll-x sheet" tabindex="0" role="region" aria-label="Weeks">
      <table class="ledger">
        <thead>
          <tr>
            <th scope="col" class="number">Week</th>
            <th scope="col">From</th>
            <th scope="col">To</th>
            <th scope="col">Track</th>
            <th scope="col">Car</th>
            <th scope="col">Race</th>
            <th scope="col">Starts (UTC)</th>
            <th scope="col">Conditions</th>
            <th v-if="all" scope="col"><span class="visually-hidden">Actions</span></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="week in rows" :key="week.id" :class="state(week)">
            <td class="number">{{ week.facts.week }}</td>
            <td>{{ plainDay(week.facts.begins) }}</td>
            <td>{{ plainDay(week.facts.ends) }}</td>
            <td>
              <RouterLink :to="{ name: 'series-week', params: { id: week.id } }">{{
                [week.facts.track, week.facts.layout].filter(Boolean).join(', ') || 'not known yet'
              }}</RouterLink>
              <span v-if="state(week) === 'running'" class="now">on now</span>
              <span v-if="week.warnings.length" class="odd" :title="week.warnings.join('; ')"
                >! {{ week.warnings.length
                }}<span class="visually-hidden"> to look at: {{ week.warnings.join('; ') }}</span></span
              >
            </td>
            <td>{{ week.facts.cars?.join(' or ') }}</td>
            <td>{{ raceWords(week.facts) }}</td>
            <td>
              {{ week.facts.starts ?? '' }} <span class="quiet">{{ week.start_times.length }}</span>
            </td>
            <td>
              {{
                [week.facts.session_local && timeOfDay(week.facts.session_local), week.facts.wetness]
                  .filter(Boolean)
                  .join(' ')
              }}
            </td>
            <td v-if="all" class="acts">
              <button type="button" class="link" @click="dialog = { week }">
                Change<span class="visually-hidden"> week {{ week.facts.week }}</span>
              </button>
              <button type="button" class="link" @click="removeWeek.mutate(week)">
                Remove<span class="visually-hidden"> week {{ week.facts.week }}</span>
              </button>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
    <WeekDialog v-if="dialog" :series-id="id" :series="chosen.name" v-bind="dialog" @close="dialog = undefined" />
  </template>
  <EnterDialog v-if="entering" :series-id="id" @close="entering = false" />
</template>

<style scoped>
.head,
.pick {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 6px 18px;
  margin-bottom: 8px;
}
.actions {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  margin-left: auto;
}
.names {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
}
.names button {
  border: 1px solid var(--quiet);
  border-radius: 3px;
  padding: 2px 10px;
}
.names button[aria-pressed='true'] {
  border-color: var(--accent);
  box-shadow: inset 0 -3px 0 var(--accent);
  font-weight: 600;
}
.import {
  margin-bottom: 10px;
}
tr.over td {
  color: var(--quiet);
}
tr.running {
  background: color-mix(in srgb, var(--accent) 11%, transparent);
}
.now {
  margin-left: 6px;
  color: var(--accent);
  font-weight: 600;
}
.odd {
  margin-left: 6px;
  color: var(--loss);
}
.acts {
  white-space: nowrap;
}
.acts .link {
  margin-right: 10px;
}
</style>
