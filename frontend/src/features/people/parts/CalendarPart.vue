<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { answer, api } from '@/shared/api/client'
import { moment } from '@/shared/format'
import OnceShown from '@/features/people/parts/OnceShown.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import WorkButton from '@/shared/parts/WorkButton.vue'

const queries = useQueryClient()
const list = useQuery({ queryKey: ['calendars'], queryFn: () => answer(api.GET('/api/me/calendars')) })
const name = ref('')
const settle = () => queries.invalidateQueries({ queryKey: ['calendars'] })
const make = useMutation({
  mutationFn: () => answer(api.POST('/api/me/calendars', { body: { name: name.value } })),
  onSuccess: () => (name.value = ''),
  onSettled: settle,
})
const revoke = useMutation({
  mutationFn: (id: string) =>
    answer(api.DELETE('/api/me/calendars/{calendar_id}', { params: { path: { calendar_id: id } } })),
  onSettled: settle,
})
const address = computed(() => (make.data.value ? new URL(make.data.value.address, window.location.href).href : ''))
</script>

<template>
  <section class="sheet part" aria-labelledby="calendars-title">
    <h2 id="calendars-title">Your calendar elsewhere</h2>
    <p class="quiet note">
      A private address to which a calendar program subscribes: the weeks and the starts. Whoever has it can read them.
    </p>
    <ul>
      <li v-for="item in list.data.value?.items" :key="item.id">
        <span
          >{{ item.name }}
          <span class="quiet">{{ item.used_at ? `read ${moment(item.used_at)}` : 'not read yet' }}</span></span
        >
        <v-btn size="small" variant="outlined" @click="revoke.mutate(item.id)"
          >Revoke<span class="visually-hidden"> {{ item.name }}</span></v-btn
        >
      </li>
    </ul>
    <form v-draft="'calendar'" @submit.prevent="make.mutate()">
      <input v-model="name" class="field" aria-label="Where it is for" placeholder="Phone" maxlength="120" />
      <WorkButton
        size="small"
        type="submit"
        variant="outlined"
        color="primary"
        :disabled="!name.trim()"
        :loading="make.isPending.value"
        >Make an address</WorkButton
      >
    </form>
    <TroubleNote :error="list.error.value ?? make.error.value ?? revoke.error.value" />
    <OnceShown
      v-if="address"
      :text="address"
      :title="`Address for ${make.data.value?.name}`"
      what="Give it to your calendar program now: it can't be seen again."
    />
  </section>
</template>

<style scoped>
ul {
  list-style: none;
  padding: 0;
  margin-bottom: 8px;
}
li {
  display: flex;
  justify-content: space-between;
  gap: 12px;
  padding: 4px 0;
  border-bottom: 1px solid var(--rule);
}
form {
  display: flex;
  gap: 8px;
}
</style>
