<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { answer, api, theirsOf, version, type Member, type Role } from '@/shared/api/client'
import { moment } from '@/shared/format'
import SkeletonRows from '@/shared/parts/SkeletonRows.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import WorkButton from '@/shared/parts/WorkButton.vue'
import { useDrivers } from '@/shared/queries'

const queries = useQueryClient()
const list = useQuery({ queryKey: ['people'], queryFn: () => answer(api.GET('/api/people')) })
const drivers = useDrivers()
const driverChoices = computed(() => [
  { id: '', name: 'no driver' },
  ...(drivers.data.value?.items ?? []).filter((driver) => !driver.guest),
])
/** Drawn anew after a refusal, so that no choice is shown that doesn't hold. */
const refused = ref(0)
const change = useMutation({
  mutationFn: ({ member, role, driver }: { member: Member; role: Role; driver: string | null }) =>
    answer(
      api.PUT('/api/people/{member_id}', {
        params: { path: { member_id: member.id }, header: version(member.version) },
        body: { role, driver_id: driver },
      }),
    ),
  onError: () => (refused.value += 1),
  onSettled: () =>
    queries.invalidateQueries({
      predicate: ({ queryKey }) => ['people', 'steps', 'me', 'history'].includes(String(queryKey[0])),
    }),
})
const outdated = computed(() => !!theirsOf(change.error.value))
const going = ref<Member>()
const remove = useMutation({
  mutationFn: (id: string) => answer(api.DELETE('/api/people/{member_id}', { params: { path: { member_id: id } } })),
  onSuccess: () => (going.value = undefined),
  onSettled: () =>
    queries.invalidateQueries({
      predicate: ({ queryKey }) => ['people', 'steps', 'history'].includes(String(queryKey[0])),
    }),
})
const value = (event: Event) => (event.target as HTMLSelectElement).value
</script>

<template>
  <section class="sheet part" aria-labelledby="members-title">
    <h2 id="members-title">In the team</h2>
    <SkeletonRows v-if="list.isPending.value" :rows="4" label="Loading the people" />
    <TroubleNote :error="list.error.value" :again="() => list.refetch()" />
    <v-alert v-if="outdated" type="warning" role="alert" class="my-2"
      >Somebody else changed this person meanwhile. The list shows how it is now; choose again if you still want
      to.</v-alert
    >
    <TroubleNote v-else :error="change.error.value" />
    <div v-if="list.data.value" class="scroll-x" tabindex="0" role="region" aria-label="List of people">
      <table class="ledger">
        <thead>
          <tr>
            <th scope="col">Name</th>
            <th scope="col">Signs in as</th>
            <th scope="col">Role</th>
            <th scope="col">Is the driver</th>
            <th scope="col">Last here</th>
            <th scope="col"><span class="visually-hidden">Actions</span></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="member in list.data.value.items" :key="`${member.id}-${member.version}-${refused}`">
            <th scope="row">{{ member.person }}<span v-if="member.yourself" class="quiet"> (you)</span></th>
            <td>{{ member.sign_in_name ?? 'nothing yet' }}</td>
            <td>
              <select
                :value="member.role"
                :aria-label="`Role of ${member.person}`"
                @change="change.mutate({ member, role: value($event) as Role, driver: member.driver_id })"
              >
                <option value="manager">manager</option>
                <option value="coach">coach</option>
                <option value="driver">driver</option>
              </select>
            </td>
            <td>
              <select
                :value="member.driver_id ?? ''"
                :aria-label="`Which driver ${member.person} is`"
                @change="change.mutate({ member, role: member.role, driver: value($event) || null })"
              >
                <option v-for="driver in driverChoices" :key="driver.id" :value="driver.id">{{ driver.name }}</option>
              </select>
            </td>
            <td class="quiet time">{{ member.seen_at ? moment(member.seen_at) : 'not yet' }}</td>
            <td class="number">
              <v-btn size="small" variant="outlined" @click="going = member"
                >Remove<span class="visually-hidden"> {{ member.person }}</span></v-btn
              >
            </td>
          </tr>
        </tbody>
      </table>
    </div>
    <v-dialog
      :model-value="!!going"
      max-width="460"
      aria-labelledby="going-title"
      @update:model-value="going = undefined"
    >
      <div v-if="going" class="sheet part">
        <h2 id="going-title">Remove {{ going.person }}?</h2>
        <p class="note">
          {{ going.yourself ? 'That is you: you' : 'They' }} are out at once, in every browser. Laps and changes stay,
          and the step can be taken back.
        </p>
        <TroubleNote :error="remove.error.value" />
        <div class="buttons">
          <WorkButton color="error" :loading="remove.isPending.value" @click="remove.mutate(going.id)"
            >Remove {{ going.person }}</WorkButton
          >
          <v-btn variant="outlined" @click="going = undefined">Keep</v-btn>
        </div>
      </div>
    </v-dialog>
  </section>
</template>
