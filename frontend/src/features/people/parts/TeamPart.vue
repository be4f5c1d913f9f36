<script setup lang="ts">
import { useMutation, useQueryClient } from '@tanstack/vue-query'
import { ref, watch } from 'vue'
import { answer, api, theirsOf, version } from '@/shared/api/client'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import WorkButton from '@/shared/parts/WorkButton.vue'
import { ME, useMe } from '@/shared/session'

const queries = useQueryClient()
const me = useMe()
const name = ref('')
const open = ref(false)
const seen = ref(0)
function show() {
  name.value = me.data.value?.team ?? ''
  open.value = me.data.value?.open_ranking ?? false
  seen.value = me.data.value?.team_version ?? 0
}
watch(
  () => me.data.value?.team_version,
  () => {
    // What somebody is typing stays; saving tells whether it is out of date.
    if (!seen.value || (name.value === me.data.value?.team && open.value === me.data.value?.open_ranking)) show()
  },
  { immediate: true },
)
const save = useMutation({
  mutationFn: () => answer(api.PUT('/api/team', { params: { header: version(seen.value) }, body: { name: name.value, open_ranking: open.value } })),
  onSuccess: async () => {
    await queries.invalidateQueries({ queryKey: ME })
    show()
    await queries.invalidateQueries({ queryKey: ['steps'] })
  },
  onError: () => queries.invalidateQueries({ queryKey: ME }),
})
</script>

<template>
  <section class="sheet part" aria-labelledby="team-title">
    <h2 id="team-title">Team</h2>
    <form v-draft="'team'" class="row" @submit.prevent="save.mutate()">
      <v-text-field v-model="name" label="Name of the team" maxlength="120" hide-details autocomplete="off" />
      <v-checkbox v-model="open" label="Drivers see each other's figures" />
      <WorkButton type="submit" color="primary" :disabled="!name.trim() || (name === me.data.value?.team && open === me.data.value?.open_ranking)" :loading="save.isPending.value">Keep</WorkButton>
    </form>
    <v-alert v-if="theirsOf(save.error.value)" type="warning" role="alert" class="my-2">
      Somebody else changed the team meanwhile: it is called {{ me.data.value?.team }} now, and drivers {{ me.data.value?.open_ranking ? 'see' : "don't see" }} each other's figures. Nothing of yours is written yet.
      <template #append>
        <v-btn size="small" color="primary" @click="((seen = me.data.value?.team_version ?? 0), save.mutate())">Write mine over it</v-btn>
        <v-btn size="small" variant="outlined" @click="(show(), save.reset())">Keep theirs</v-btn>
      </template>
    </v-alert>
    <TroubleNote v-else :error="save.error.value" />
  </section>
</template>
