<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { answer, api, theirsOf, version, type DriverRow } from '@/api/client'
import TheirsNote from '@/parts/TheirsNote.vue'
import TroubleNote from '@/parts/TroubleNote.vue'
import WorkButton from '@/parts/WorkButton.vue'

const queries = useQueryClient()
const list = useQuery({ queryKey: ['drivers'], queryFn: () => answer(api.GET('/api/drivers')) })
const editing = ref<DriverRow>()
const name = ref('')
const guest = ref(false)
function edit(row: DriverRow) {
  editing.value = row
  name.value = row.name
  guest.value = row.guest
  save.reset()
}
const save = useMutation({
  mutationFn: (row: DriverRow) => answer(api.PUT('/api/drivers/{driver_id}', { params: { path: { driver_id: row.id }, header: version(row.version) }, body: { name: name.value, guest: guest.value } })),
  onSuccess: () => (editing.value = undefined),
  onSettled: () => queries.invalidateQueries({ predicate: ({ queryKey }) => queryKey[0] !== 'search' }),
})
/** How somebody else left it meanwhile. */
const theirs = computed(() => theirsOf<{ items: DriverRow[] }>(save.error.value)?.items[0])
</script>

<template>
  <section class="sheet part" aria-labelledby="drivers-title">
    <h2 id="drivers-title">Drivers</h2>
    <p class="quiet note">Names come with the lap files. A guest's laps are there for comparison and count for nobody's figures.</p>
    <TroubleNote :error="list.error.value" :again="() => list.refetch()" />
    <p v-if="list.data.value && !list.data.value.items.length" class="quiet note">No driver yet: add a lap file under Drive.</p>
    <ul class="plain drivers">
      <li v-for="row in list.data.value?.items" :key="row.id">
        <form v-if="editing?.id === row.id" class="row" @submit.prevent="save.mutate(editing)">
          <v-text-field v-model="name" :label="`Name of ${row.name}`" maxlength="120" hide-details autofocus autocomplete="off" @keydown.esc.stop="editing = undefined" />
          <v-checkbox v-model="guest" label="Guest" />
          <WorkButton size="small" type="submit" color="primary" :disabled="!name.trim()" :loading="save.isPending.value">Keep</WorkButton>
          <v-btn size="small" variant="outlined" @click="editing = undefined">Leave it</v-btn>
          <TheirsNote v-if="theirs" class="wide" take="Keep theirs" @mine="save.mutate(theirs)" @theirs="edit(theirs)">
            Somebody else changed this driver meanwhile: {{ theirs.name }}{{ theirs.guest ? ', a guest' : '' }}.
          </TheirsNote>
          <TroubleNote v-else :error="save.error.value" class="wide" />
        </form>
        <template v-else>
          <span>{{ row.name }}<span v-if="row.guest" class="quiet"> (guest)</span></span>
          <v-btn size="small" variant="outlined" @click="edit(row)">Change<span class="visually-hidden"> {{ row.name }}</span></v-btn>
        </template>
      </li>
    </ul>
  </section>
</template>

<style scoped>
.drivers {
  columns: 2 380px;
  column-gap: 30px;
}
.drivers li {
  break-inside: avoid;
}
.wide {
  flex-basis: 100%;
}
</style>
