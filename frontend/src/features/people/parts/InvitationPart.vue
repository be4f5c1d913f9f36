<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { answer, api, type Role } from '@/shared/api/client'
import { moment } from '@/shared/format'
import WorkButton from '@/shared/parts/WorkButton.vue'
import OnceShown from '@/features/people/parts/OnceShown.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import { useDrivers } from '@/shared/queries'

const queries = useQueryClient()
const list = useQuery({ queryKey: ['invitations'], queryFn: () => answer(api.GET('/api/invitations')) })
const drivers = useDrivers()
// A link made on the server's own command line is for nobody by name.
const whoever = 'Whoever has the link'
const name = ref('')
const role = ref<Role>('driver')
const driver = ref('')
const driverChoices = computed(() => (drivers.data.value?.items ?? []).filter((item) => !item.guest))
const again = () => queries.invalidateQueries({ queryKey: ['invitations'] })
const invite = useMutation({
  mutationFn: () =>
    answer(
      api.POST('/api/invitations', {
        body: { name: name.value, role: role.value, driver_id: (role.value === 'driver' && driver.value) || null },
      }),
    ),
  onSuccess: () => (name.value = driver.value = ''),
  onSettled: again,
})
const withdraw = useMutation({
  mutationFn: (id: string) =>
    answer(api.DELETE('/api/invitations/{invitation_id}', { params: { path: { invitation_id: id } } })),
  onSettled: again,
})
const link = computed(() => (invite.data.value ? new URL(invite.data.value.link, window.location.href).href : ''))
</script>

<template>
  <section class="sheet part" aria-labelledby="invite-title">
    <h2 id="invite-title">Invite</h2>
    <form v-draft="'invitation'" class="row" @submit.prevent="invite.mutate()">
      <v-text-field v-model="name" label="Name" maxlength="120" hide-details autocomplete="off" />
      <label
        >as
        <select v-model="role" aria-label="Role">
          <option value="driver">driver</option>
          <option value="coach">coach</option>
          <option value="manager">manager</option>
        </select></label
      >
      <label v-if="role === 'driver'"
        >who is
        <select v-model="driver" aria-label="Which driver">
          <option value="">no driver yet</option>
          <option v-for="item in driverChoices" :key="item.id" :value="item.id">{{ item.name }}</option>
        </select></label
      >
      <WorkButton type="submit" color="primary" :disabled="!name.trim()" :loading="invite.isPending.value"
        >Make a link</WorkButton
      >
    </form>
    <TroubleNote :error="invite.error.value ?? list.error.value ?? withdraw.error.value" />
    <OnceShown
      v-if="link"
      :text="link"
      :title="`Link for ${invite.data.value?.name}`"
      what="Hand it over yourself. It works once, for a week, and can't be seen again."
    />
    <ul v-if="list.data.value?.items.length" class="plain">
      <li v-for="item in list.data.value.items" :key="item.id">
        <span
          >{{ item.name || whoever }} as {{ item.role
          }}<template v-if="item.driver">, who is {{ item.driver }}</template>
          <span class="quiet">until {{ moment(item.expires_at) }}</span></span
        >
        <v-btn size="small" variant="outlined" @click="withdraw.mutate(item.id)"
          >Withdraw<span class="visually-hidden"> the invitation of {{ item.name || whoever }}</span></v-btn
        >
      </li>
    </ul>
    <p v-else-if="list.data.value" class="quiet note">No invitation is open.</p>
  </section>
</template>
