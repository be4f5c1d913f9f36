<script setup lang="ts">
import { useMutation, useQueryClient } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { answer, api, fileBody, type SeasonPreview } from '@/shared/api/client'
import { count, plainDay } from '@/shared/format'
import FileDrop from '@/shared/parts/FileDrop.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import WorkButton from '@/shared/parts/WorkButton.vue'

const queries = useQueryClient()
const preview = ref<SeasonPreview>()
const takeChanges = ref(false)
const upload = useMutation({
  mutationFn: (chosen: File) => answer(api.POST('/api/season-files', fileBody(chosen))),
  onSuccess: (seen) => {
    preview.value = seen
    takeChanges.value = false
    take.reset()
  },
})
const settle = () =>
  Promise.all(
    ['weeks', 'series', 'board', 'combinations', 'cars', 'steps', 'history'].map((key) =>
      queries.invalidateQueries({ queryKey: [key] }),
    ),
  )
const file = () => ({ params: { path: { season_file_id: preview.value!.id } } })
const take = useMutation({
  mutationFn: () =>
    answer(
      api.POST('/api/season-files/{season_file_id}/import', {
        ...file(),
        body: { stamp: preview.value!.stamp, take_changes: takeChanges.value },
      }),
    ),
  onSuccess: () => (preview.value = undefined),
  // What was changed meanwhile is to be seen before it is confirmed.
  onError: async () =>
    (preview.value = await answer(api.GET('/api/season-files/{season_file_id}', file())).catch(() => preview.value)),
  onSettled: settle,
})
const discard = useMutation({
  mutationFn: () => answer(api.DELETE('/api/season-files/{season_file_id}', file())),
  onSettled: () => (preview.value = undefined),
})
const of = (state: string) => preview.value?.weeks.filter((row) => row.state === state).length ?? 0
const coming = computed(() => of('new') + (takeChanges.value ? of('changed') : 0))
</script>

<template>
  <section class="sheet part" aria-labelledby="import-title">
    <h2 id="import-title">Season file</h2>
    <FileDrop
      label="Choose a season file"
      accept=".csv,.tsv,.txt,.xlsx"
      :busy="upload.isPending.value"
      hint="CSV or XLSX, one row a series week"
      @file="upload.mutate($event)"
    />
    <TroubleNote :error="upload.error.value ?? take.error.value ?? discard.error.value" />
    <p v-if="take.data.value" role="status" class="note">
      {{ count(take.data.value.added, 'week') }} added, {{ take.data.value.changed }} changed,
      {{ take.data.value.same }} as before<template v-if="take.data.value.kept"
        >, {{ take.data.value.kept }} left as they were</template
      ><template v-if="take.data.value.set_aside">, {{ count(take.data.value.set_aside, 'row') }} set aside</template>.
      Ctrl Z takes it back as a whole.
    </p>
    <template v-if="preview">
      <h3>{{ preview.name }}: {{ count(preview.rows, 'row') }}</h3>
      <ul class="told">
        <li>
          {{ of('new') }} new, {{ of('changed') }} with other facts than those that are there, {{ of('same') }} the
          same.
        </li>
        <li v-if="preview.new_series.length">New series: {{ preview.new_series.join(', ') }}.</li>
        <li v-if="preview.new_cars.length">New cars: {{ preview.new_cars.join(', ') }}.</li>
        <li v-if="preview.unknown_layouts.length" class="warn">
          Not known here yet: {{ preview.unknown_layouts.join('; ') }}. The weeks go in; add the track files later and
          they find each other.
        </li>
        <li v-if="preview.unused_columns.length">Columns that aren't used: {{ preview.unused_columns.join(', ') }}.</li>
      </ul>
      <template v-if="preview.set_aside.length">
        <h3>Rows set aside</h3>
        <ul class="told">
          <li v-for="row in preview.set_aside" :key="row.line" class="bad">
            Line {{ row.line }}<template v-if="row.column">, {{ row.column }}</template
            ><template v-if="row.value"> “{{ row.value }}”</template>: {{ row.reason }}.
          </li>
        </ul>
      </template>
      <template v-if="preview.warnings.length">
        <h3>Taken, but odd</h3>
        <ul class="told">
          <li v-for="(row, index) in preview.warnings" :key="index" class="warn">
            Line {{ row.line }}: {{ row.reason }}.
          </li>
        </ul>
      </template>
      <div class="scroll-x rows" tabindex="0" role="region" aria-label="Weeks of the file">
        <table class="ledger">
          <thead>
            <tr>
              <th scope="col" class="number">Line</th>
              <th scope="col">Series</th>
              <th scope="col" class="number">Week</th>
              <th scope="col">From</th>
              <th scope="col">To</th>
              <th scope="col">Track</th>
              <th scope="col">Cars</th>
              <th scope="col" class="number">Starts</th>
              <th scope="col">Is</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="row in preview.weeks" :key="row.line">
              <td class="number">{{ row.line }}</td>
              <td>{{ row.series }}</td>
              <td class="number">{{ row.week }}</td>
              <td>{{ plainDay(row.begins) }}</td>
              <td>{{ plainDay(row.ends) }}</td>
              <td>{{ [row.track, row.layout].filter(Boolean).join(', ') }}</td>
              <td>{{ row.cars.join(' or ') }}</td>
              <td class="number">{{ row.starts }}</td>
              <td>
                {{ row.state
                }}<span v-if="row.state === 'changed'" class="quiet"
                  >: {{ row.differs.map((name) => name.replaceAll('_', ' ')).join(', ') }}</span
                >
              </td>
            </tr>
          </tbody>
        </table>
      </div>
      <label v-if="of('changed')" class="changes"
        ><input v-model="takeChanges" type="checkbox" /> Write the {{ count(of('changed'), 'week') }} anew that say
        something else</label
      >
      <div class="buttons">
        <WorkButton color="primary" :disabled="!coming" :loading="take.isPending.value" @click="take.mutate()">{{
          coming ? `Import ${count(coming, 'week')}` : 'Nothing new to import'
        }}</WorkButton>
        <v-btn variant="outlined" @click="discard.mutate()">Leave it</v-btn>
      </div>
    </template>
  </section>
</template>

<style scoped>
h3 {
  font-size: 0.98rem;
  margin-top: 10px;
}
.told {
  padding-left: 18px;
}
.warn {
  color: var(--ochre);
}
.rows {
  max-height: 320px;
  overflow: auto;
  margin-top: 8px;
}
.changes {
  display: block;
  margin-top: 8px;
}
</style>
