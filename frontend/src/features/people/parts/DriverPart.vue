<script setup lang="ts">
import { useMutation, useQueryClient } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { answer, api, theirsOf, version, type DriverRow } from '@/shared/api/client'
import TheirsNote from '@/shared/parts/TheirsNote.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import WorkButton from '@/shared/parts/WorkButton.vue'
import { useMay } from '@/shared/session'
import { useDrivers } from '@/shared/queries'

const queries = useQueryClient()
const may = useMay()
const manages = computed(() => may('people.leave'))
const list = useDrivers()
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
  mutationFn: (row: DriverRow) =>
    answer(
      api.PUT('/api/drivers/{driver_id}', {
        params: { path: { driver_id: row.id }, header: version(row.version) },
        body: { name: name.value, guest: guest.value },
      }),
    ),
  onSuccess: () => (editing.value = undefined),
  onSettled: () => queries.invalidateQueries({ predicate: ({ queryKey }) => queryKey[0] !== 'search' }),
})
/** Whom somebody is about to let go for good. */
const leaving = ref<DriverRow>()
const leave = useMutation({
  mutationFn: (row: DriverRow) =>
    answer(api.POST('/api/drivers/{driver_id}/leave', { params: { path: { driver_id: row.id } } })),
  onSuccess: () => (leaving.value = undefined),
  onSettled: () => queries.invalidateQueries(),
})
/** How somebody else left it meanwhile. */
const theirs = computed(() => theirsOf<{ items: DriverRow[] }>(save.error.value)?.items[0])
</script>

<template>
  <section class="sheet part" aria-labelledby="drivers-title">
    <h2 id="drivers-title">Drivers</h2>
    <p class="quiet note">
      Names come with the lap files. A guest's laps are there for comparison and count for nobody's figures.
    </p>
    <TroubleNote :error="list.error.value" :again="() => list.refetch()" />
    <p v-if="list.data.value && !list.data.value.items.length" class="quiet note">
      No driver yet: add a lap file under Drive.
    </p>
    <ul class="plain drivers">
      <li v-for="row in list.data.value?.items" :key="row.id">
        <form
          v-if="editing?.id === row.id"
          v-draft="`driver ${row.id}`"
          v-first-focus
          class="row"
          @submit.prevent="save.mutate(editing)"
        >
          <v-text-field
            v-model="name"
            :label="`Name of ${row.name}`"
            maxlength="120"
            hide-details
            autocomplete="off"
            @keydown.esc.stop="editing = undefined"
          />
          <v-checkbox v-model="guest" label="Guest" />
          <WorkButton
            size="small"
            type="submit"
            color="primary"
            :disabled="!name.trim()"
            :loading="save.isPending.value"
            >Keep</WorkButton
          >
          <v-btn size="small" variant="outlined" @click="editing = undefined">Leave it</v-btn>
          <TheirsNote v-if="theirs" class="wide" take="Keep theirs" @mine="save.mutate(theirs)" @theirs="edit(theirs)">
            Somebody else changed this driver meanwhile: {{ theirs.name }}{{ theirs.guest ? ', a guest' : '' }}.
          </TheirsNote>
          <TroubleNote v-else :error="save.error.value" class="wide" />
        </form>
        <template v-else>
          <span>{{ row.name }}<span v-if="row.guest" class="quiet"> (guest)</span></span>
          <span class="acts">
            <a :href="`/api/drivers/${row.id}/data.zip`" download
              >Own data<span class="visually-hidden"> of {{ row.name }}</span></a
            >
            <button v-if="manages" type="button" class="link" @click="((leaving = row), leave.reset())">
              Let go<span class="visually-hidden"> {{ row.name }}</span>
            </button>
            <v-btn size="small" variant="outlined" @click="edit(row)"
              >Change<span class="visually-hidden"> {{ row.name }}</span></v-btn
            >
          </span>
          <v-alert v-if="leaving?.id === row.id" type="warning" role="alert" class="wide my-2">
            {{ row.name }} is let go for good: name, profile and way in are removed, also from notes, files and what was
            kept of changes. The laps stay, as a former driver’s. This can’t be taken back; let them take their own data
            along first.
            <template #append>
              <WorkButton size="small" color="primary" :loading="leave.isPending.value" @click="leave.mutate(row)"
                >Let {{ row.name }} go</WorkButton
              >
              <v-btn size="small" variant="outlined" @click="leaving = undefined">Leave it</v-btn>
            </template>
          </v-alert>
          <TroubleNote v-if="leaving?.id === row.id" :error="leave.error.value" class="wide" />
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
.acts {
  display: flex;
  gap: 12px;
  align-items: center;
}
.wide {
  flex-basis: 100%;
}
</style>
