<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { ref } from 'vue'
import { answer, api } from '@/shared/api/client'
import { moment } from '@/shared/format'
import WorkButton from '@/shared/parts/WorkButton.vue'
import OnceShown from '@/features/people/parts/OnceShown.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'

const queries = useQueryClient()
const list = useQuery({ queryKey: ['rigs'], queryFn: () => answer(api.GET('/api/rigs')) })
const name = ref('')
const again = () => queries.invalidateQueries({ queryKey: ['rigs'] })
const make = useMutation({
  mutationFn: () => answer(api.POST('/api/rigs', { body: { name: name.value } })),
  onSuccess: () => (name.value = ''),
  onSettled: again,
})
const revoke = useMutation({
  mutationFn: (id: string) => answer(api.DELETE('/api/rigs/{rig_id}', { params: { path: { rig_id: id } } })),
  onSettled: again,
})
</script>

<template>
  <section class="sheet part" aria-labelledby="rigs-title">
    <h2 id="rigs-title">Rigs</h2>
    <form v-draft="'rig'" class="row" @submit.prevent="make.mutate()">
      <v-text-field v-model="name" label="Name of the rig" maxlength="120" hide-details autocomplete="off" />
      <WorkButton type="submit" color="primary" :disabled="!name.trim()" :loading="make.isPending.value"
        >Make a token</WorkButton
      >
    </form>
    <TroubleNote :error="make.error.value ?? list.error.value ?? revoke.error.value" />
    <OnceShown
      v-if="make.data.value"
      :text="make.data.value.token"
      title="The rig's token"
      what="Put it into the rig's program. It may only deliver laps, and can't be seen again."
    />
    <ul v-if="list.data.value?.items.length" class="plain">
      <li v-for="item in list.data.value.items" :key="item.id" :class="{ quiet: item.revoked }">
        <span
          >{{ item.name }}
          <span class="quiet"
            >by {{ item.made_by }},
            {{
              item.revoked
                ? 'shut out'
                : item.used_at
                  ? `last delivered ${moment(item.used_at)}`
                  : 'has not delivered yet'
            }}</span
          ></span
        >
        <v-btn v-if="!item.revoked" size="small" variant="outlined" @click="revoke.mutate(item.id)"
          >Shut out<span class="visually-hidden"> {{ item.name }}</span></v-btn
        >
      </li>
    </ul>
    <p v-else-if="list.data.value" class="quiet note">No rig delivers yet.</p>
  </section>
</template>
