<script setup lang="ts">
import { useMutation, useQueries, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { answer, api, fileBody } from '@/api/client'
import FileDrop from '@/parts/FileDrop.vue'
import TroubleNote from '@/parts/TroubleNote.vue'
import { ME } from '@/session'

/** The team's data out, as a package in open formats, and a team in from one. */
const queries = useQueryClient()
const telemetry = ref(false)
const week = ref('')
const series = useQuery({ queryKey: ['series'], queryFn: () => answer(api.GET('/api/series')) })
const ofSeries = useQueries({
  queries: computed(() =>
    (series.data.value?.items ?? []).map((item) => ({ queryKey: ['weeks', item.id], queryFn: () => answer(api.GET('/api/series/{series_id}/weeks', { params: { path: { series_id: item.id } } })) })),
  ),
})
/** Weeks that have begun, the last one first. */
const weeks = computed(() =>
  ofSeries.value
    .flatMap((item) => item.data?.items ?? [])
    .filter((item) => new Date(item.begins_at) <= new Date())
    .sort((one, other) => other.begins_at.localeCompare(one.begins_at)),
)
const href = computed(() => `/api/team/package?${new URLSearchParams({ ...(week.value && { week: week.value }), ...(telemetry.value && { telemetry: 'true' }) })}`)
const LISTS = { weeks: 'weeks of series', entries: 'entries', results: 'results', laps: 'laps', runs: 'runs', blocks: 'practice blocks', references: 'references', lessons: 'what was learned' }
const bring = useMutation({ mutationFn: (file: File) => answer(api.POST('/api/team/packages', fileBody(file))), onSuccess: () => queries.invalidateQueries({ queryKey: ME }) })
const enter = useMutation({
  mutationFn: (team_id: string) => answer(api.POST('/api/me/team', { body: { team_id } })),
  onSuccess: () => window.location.assign('/'),
})
</script>

<template>
  <section class="sheet part" aria-labelledby="data-title">
    <h2 id="data-title">The team’s data</h2>
    <p>Everything as CSV tables with their description, in one zip: an exchange package, which any spreadsheet reads, and from which the team can be made again. Ways in and passwords are never in it.</p>
    <form class="row" @submit.prevent>
      <label>What <select v-model="week"><option value="">everything</option><option v-for="item in weeks" :key="item.id" :value="item.id">{{ item.facts.series }}, week {{ item.facts.week }} alone</option></select></label>
      <v-checkbox v-model="telemetry" label="With traces, which are large" hide-details />
      <a class="v-btn v-btn--variant-outlined fleet-button take" :href="href" download>Take it along</a>
    </form>
    <h3>Lists for a spreadsheet</h3>
    <ul class="lists"><li v-for="(called, name) in LISTS" :key="name">{{ called }}: <a :href="`/api/lists/${name}.csv`" download>CSV<span class="visually-hidden"> of {{ called }}</span></a> · <a :href="`/api/lists/${name}.xlsx`" download>XLSX<span class="visually-hidden"> of {{ called }}</span></a></li></ul>
    <h3>Bring a team in</h3>
    <p class="quiet">A package makes a team of its own, which you manage. It adds nothing to this one.</p>
    <FileDrop label="An exchange package" accept=".zip" :busy="bring.isPending.value" @file="bring.mutate($event)" />
    <TroubleNote :error="bring.error.value ?? enter.error.value ?? series.error.value" />
    <v-alert v-if="bring.data.value" type="info" role="status" class="my-2">
      <b>{{ bring.data.value.team }} came in with {{ bring.data.value.rows }} rows.</b>
      <p v-if="bring.data.value.ways.length">These people weren’t known here. Hand their ways in on; they can’t be seen again.</p>
      <ul v-if="bring.data.value.ways.length"><li v-for="way in bring.data.value.ways" :key="way.sign_in_name">{{ way.name }}, {{ way.role }}: <code>{{ way.sign_in_name }}</code> with <code>{{ way.password }}</code></li></ul>
      <template #append><v-btn size="small" color="primary" @click="enter.mutate(bring.data.value.team_id)">Go to {{ bring.data.value.team }}</v-btn></template>
    </v-alert>
  </section>
</template>

<style scoped>
label {
  display: grid;
}
.take {
  padding: 4px 12px;
  border: 1px solid var(--quiet);
  border-radius: 3px;
  text-decoration: none;
}
.lists {
  columns: 3 220px;
}
h3 {
  margin-top: 12px;
}
</style>
