<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, reactive, ref, watch } from 'vue'
import { RouterLink, useRouter } from 'vue-router'
import { answer, api, theirsOf, version, type Availability, type Resource } from '@/shared/api/client'
import WeekHead from '@/features/week/parts/WeekHead.vue'
import HoursEditor from '@/features/week/parts/HoursEditor.vue'
import NewName from '@/shared/parts/NewName.vue'
import SkeletonRows from '@/shared/parts/SkeletonRows.vue'
import TheirsNote from '@/shared/parts/TheirsNote.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import WorkButton from '@/shared/parts/WorkButton.vue'
import { useMay, useMe } from '@/shared/session'
import { hoursWords } from '@/shared/words'
import { useProfiles } from '@/shared/queries'

const queries = useQueryClient()
const router = useRouter()
const me = useMe()
const may = useMay()
const all = computed(() => may('driver.add'))
// A driver has one profile: their own.
watch(
  () => me.data.value,
  (data) =>
    data &&
    !data.may.includes('drivers.see_all') &&
    data.driver_id &&
    router.replace({ name: 'driver-profile', params: { id: data.driver_id } }),
  { immediate: true },
)
const list = useProfiles()
const things = useQuery({ queryKey: ['resources'], queryFn: () => answer(api.GET('/api/resources')) })
const settle = () =>
  Promise.all(
    ['profiles', 'drivers', 'resources', 'board', 'steps', 'history'].map((key) =>
      queries.invalidateQueries({ queryKey: [key] }),
    ),
  )
const add = useMutation({
  mutationFn: (name: string) => answer(api.POST('/api/profiles', { body: { name } })),
  onSuccess: (made) => router.push({ name: 'driver-profile', params: { id: made.id } }),
  onSettled: settle,
})
const thing = reactive({ name: '', kind: 'rig' as 'rig' | 'coach' })
const addThing = useMutation({
  mutationFn: () => answer(api.POST('/api/resources', { body: { ...thing } })),
  onSuccess: (made) => {
    thing.name = ''
    edit(made)
  },
  onSettled: settle,
})
const editing = ref<Resource>()
const form = reactive({
  version: 0,
  name: '',
  zone: '',
  note: '',
  hours: { weekly: [], off: [], extra: [] } as Required<Availability>,
})
function edit(row: Resource) {
  editing.value = row
  Object.assign(form, {
    version: row.version,
    name: row.name,
    zone: row.zone ?? '',
    note: row.note ?? '',
    hours: JSON.parse(
      JSON.stringify({ weekly: [], off: [], extra: [], ...row.availability }),
    ) as Required<Availability>,
  })
  save.reset()
}
const save = useMutation({
  mutationFn: (seen: number) =>
    answer(
      api.PUT('/api/resources/{resource_id}', {
        params: { path: { resource_id: editing.value!.id }, header: version(seen) },
        body: { name: form.name, zone: form.zone || null, note: form.note || null, availability: form.hours },
      }),
    ),
  onSuccess: () => (editing.value = undefined),
  onSettled: settle,
})
const theirs = computed(() => theirsOf<Resource>(save.error.value))
const remove = useMutation({
  mutationFn: (id: string) =>
    answer(api.DELETE('/api/resources/{resource_id}', { params: { path: { resource_id: id } } })),
  onSettled: settle,
})
</script>

<template>
  <WeekHead title="Team">
    <NewName v-if="all" class="right" what="driver" :busy="add.isPending.value" @add="add.mutate($event)" />
  </WeekHead>
  <SkeletonRows v-if="list.isPending.value" :rows="8" label="Loading the team" />
  <TroubleNote :error="list.error.value ?? add.error.value" />
  <section v-if="list.data.value && !list.data.value.items.length" class="sheet empty">
    <h2>No driver yet</h2>
    <p v-if="all">Drivers come with the lap files, or by hand here.</p>
    <p v-else>Your account isn't matched with a driver yet. Ask your manager to do that on the People page.</p>
  </section>
  <div v-else-if="list.data.value" class="scroll-x sheet" tabindex="0" role="region" aria-label="Drivers">
    <table class="ledger">
      <thead>
        <tr>
          <th scope="col">Driver</th>
          <th scope="col">Free time</th>
          <th scope="col">Zone</th>
          <th scope="col">Assists</th>
          <th scope="col">Controls and view</th>
          <th scope="col">Prefers</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="item in list.data.value.items" :key="item.id">
          <td>
            <RouterLink :to="{ name: 'driver-profile', params: { id: item.id } }">{{ item.name }}</RouterLink><span
              v-if="item.nickname"
              class="quiet"
            >
              · {{ item.nickname }}</span
            ><span v-if="item.guest" class="quiet"> (guest)</span>
          </td>
          <td>{{ hoursWords(item.availability) }}</td>
          <td>{{ item.zone }}</td>
          <td>
            {{
              Object.entries(item.assists ?? {})
                .filter(([, value]) => value)
                .map(([key, value]) => `${key} ${value}`)
                .join(', ')
            }}
          </td>
          <td>
            {{
              [item.controls, item.view?.field_of_view_deg && `${item.view.field_of_view_deg}°`, item.view?.words]
                .filter(Boolean)
                .join('; ')
            }}
          </td>
          <td>{{ item.preferences }}</td>
        </tr>
      </tbody>
    </table>
  </div>
  <section class="sheet part shared" aria-labelledby="shared-title">
    <h2 id="shared-title">Shared rigs and coaches</h2>
    <TroubleNote :error="things.error.value ?? addThing.error.value ?? remove.error.value" />
    <p v-if="things.data.value && !things.data.value.items.length" class="quiet">
      None yet. Entries can be booked on a shared rig, and two at once are pointed out.
    </p>
    <ul class="plain">
      <li v-for="item in things.data.value?.items" :key="item.id">
        <form
          v-if="editing?.id === item.id"
          v-draft="`thing ${item.id}`"
          class="edit"
          @submit.prevent="save.mutate(form.version)"
        >
          <label>Name <input v-model="form.name" class="field" maxlength="120" required /></label>
          <label>Note <input v-model="form.note" class="field" size="40" maxlength="2000" /></label>
          <HoursEditor v-model="form.hours" v-model:zone="form.zone" />
          <TheirsNote v-if="theirs" @mine="save.mutate(theirs.version)" @theirs="edit(theirs)">
            Somebody else changed it meanwhile: {{ theirs.name }}, {{ hoursWords(theirs.availability) }}.
          </TheirsNote>
          <TroubleNote v-else :error="save.error.value" />
          <div class="buttons">
            <WorkButton size="small" type="submit" color="primary" :loading="save.isPending.value">Keep</WorkButton>
            <v-btn size="small" variant="outlined" @click="editing = undefined">Leave it</v-btn>
          </div>
        </form>
        <template v-else>
          <span
            >{{ item.name }}
            <span class="quiet"
              >{{ item.kind }} · {{ hoursWords(item.availability) }}{{ item.zone ? `, ${item.zone}` : ''
              }}<template v-if="item.note"> · {{ item.note }}</template></span
            ></span
          >
          <span v-if="may('resource.change')" class="acts">
            <v-btn size="small" variant="outlined" @click="edit(item)"
              >Change<span class="visually-hidden"> {{ item.name }}</span></v-btn
            >
            <v-btn size="small" variant="outlined" @click="remove.mutate(item.id)"
              >Remove<span class="visually-hidden"> {{ item.name }}</span></v-btn
            >
          </span>
        </template>
      </li>
    </ul>
    <form v-if="may('resource.add')" v-draft="'new thing'" class="new" @submit.prevent="addThing.mutate()">
      <select v-model="thing.kind" aria-label="What it is">
        <option value="rig">rig</option>
        <option value="coach">coach</option>
      </select>
      <input v-model="thing.name" class="field" aria-label="Name of the shared rig or coach" maxlength="120" />
      <WorkButton
        size="small"
        type="submit"
        variant="outlined"
        :disabled="!thing.name.trim()"
        :loading="addThing.isPending.value"
        >Add</WorkButton
      >
    </form>
  </section>
</template>

<style scoped>
.right {
  margin-left: auto;
}
.new {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 6px;
  margin-top: 8px;
}
.shared {
  margin-top: 12px;
}
.acts {
  display: flex;
  gap: 6px;
}
.edit {
  width: 100%;
}
</style>
