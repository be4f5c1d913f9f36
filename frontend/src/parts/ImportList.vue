<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { answer, api } from '@/api/client'
import { count, moment } from '@/format'
import TroubleNote from '@/parts/TroubleNote.vue'

const props = defineProps<{ combination: string }>()
const emit = defineEmits<{ changed: [] }>()
const queries = useQueryClient()

const list = useQuery({
  queryKey: ['imports', () => props.combination],
  queryFn: () => answer(api.GET('/api/combinations/{combination_id}/lap-files', { params: { path: { combination_id: props.combination } } })),
})
const takeBack = useMutation({
  mutationFn: (id: string) => answer(api.POST('/api/lap-files/{file_id}/take-back', { params: { path: { file_id: id } } })),
  onSuccess: async () => {
    emit('changed')
    // What a preview said of other laps is no longer so.
    queries.removeQueries({ queryKey: ['lap-file'] })
    for (const key of ['imports', 'analysis', 'driver-laps', 'combination', 'combinations']) await queries.invalidateQueries({ queryKey: [key] })
  },
})
</script>

<template>
  <v-alert v-if="takeBack.data.value" type="success" class="my-3" role="status">
    {{ takeBack.data.value.name }} is taken back: {{ count(takeBack.data.value.removed, 'lap') }} out again<template v-if="takeBack.data.value.restored">, {{ takeBack.data.value.restored }} as before</template>. The file is kept; it can go in again.
  </v-alert>
  <TroubleNote :error="list.error.value ?? takeBack.error.value" :again="list.error.value ? () => list.refetch() : undefined" />
  <section v-if="list.data.value?.items.length" class="sheet imports" aria-labelledby="imports-title">
    <h2 id="imports-title">Files so far</h2>
    <div class="scroll-x" tabindex="0" role="region" aria-label="List of files so far">
      <table class="ledger">
        <thead>
          <tr>
            <th scope="col">File</th>
            <th scope="col">When</th>
            <th scope="col">By</th>
            <th scope="col" class="number">Laps</th>
            <th scope="col"><span class="visually-hidden">Actions</span></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="item in list.data.value.items" :key="item.id" :class="{ back: item.state === 'taken_back' }">
            <td>{{ item.name }}<span v-if="item.state === 'taken_back'" class="quiet"> (taken back)</span></td>
            <td>{{ moment(item.imported_at) }}</td>
            <td>{{ item.person }}</td>
            <td class="number">{{ item.added }}<template v-if="item.changed"> and {{ item.changed }} changed</template></td>
            <td>
              <v-btn
                v-if="item.state === 'imported'"
                size="small"
                variant="outlined"
                :loading="takeBack.isPending.value && takeBack.variables.value === item.id"
                @click="takeBack.mutate(item.id)"
              >
                Take back<span class="visually-hidden">: {{ item.name }}, {{ moment(item.imported_at) }}</span>
              </v-btn>
              <v-btn v-else size="small" variant="outlined" :to="{ query: { file: item.id } }">Put in again<span class="visually-hidden">: {{ item.name }}</span></v-btn>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
  </section>
</template>

<style scoped>
.imports {
  padding: 10px 16px 12px;
  margin: 10px 0;
}
.imports h2 {
  margin-bottom: 6px;
}
.back td {
  color: var(--quiet);
}
</style>
