<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { answer, api } from '@/shared/api/client'
import { moment } from '@/shared/format'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import WorkButton from '@/shared/parts/WorkButton.vue'
import { useTurning } from '@/shared/turning'

const props = defineProps<{ combination: string }>()
const emit = defineEmits<{ changed: []; again: [id: string] }>()
const queries = useQueryClient()

const list = useQuery({
  queryKey: ['imports', () => props.combination],
  queryFn: () =>
    answer(
      api.GET('/api/combinations/{combination_id}/lap-files', {
        params: { path: { combination_id: props.combination } },
      }),
    ),
})
const { turn } = useTurning()
function takeBack(entry: string) {
  turn.mutate(
    { way: 'undo', entry },
    {
      onSuccess: () => {
        emit('changed')
        // What a preview said of other laps is no longer so.
        queries.removeQueries({ queryKey: ['lap-file'] })
      },
    },
  )
}
</script>

<template>
  <TroubleNote :error="list.error.value" :again="() => list.refetch()" />
  <p v-if="list.data.value && !list.data.value.items.length" class="quiet note">
    No file went in here yet. A lap file is a table with one row a lap: driver, lap and time at least; with sector times
    (S1 …) or corner times (T1 …) it tells more. Other names of columns are asked about once.
  </p>
  <section v-else-if="list.data.value" class="sheet imports" aria-labelledby="imports-title">
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
            <td class="number">
              {{ item.added }}<template v-if="item.changed"> and {{ item.changed }} changed</template
              ><span v-if="item.set_aside" class="ochre">, {{ item.set_aside }} set aside</span>
            </td>
            <td>
              <span class="acts">
                <button v-if="item.state === 'imported'" type="button" class="link" @click="emit('again', item.id)">
                  {{ item.set_aside ? 'Mend what was set aside' : 'Read it again'
                  }}<span class="visually-hidden">: {{ item.name }}, {{ moment(item.imported_at) }}</span>
                </button>
                <WorkButton
                  v-if="item.state === 'imported'"
                  size="small"
                  variant="outlined"
                  :loading="turn.isPending.value && turn.variables.value?.entry === item.change_id"
                  @click="takeBack(item.change_id)"
                >
                  Take back<span class="visually-hidden">: {{ item.name }}, {{ moment(item.imported_at) }}</span>
                </WorkButton>
                <v-btn v-else size="small" variant="outlined" :to="{ query: { file: item.id } }"
                  >Put in again<span class="visually-hidden">: {{ item.name }}</span></v-btn
                >
              </span>
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
.acts {
  display: flex;
  gap: 12px;
  justify-content: flex-end;
}
.back td {
  color: var(--quiet);
}
</style>
