<script setup lang="ts">
import { useMutation, useQueryClient } from '@tanstack/vue-query'
import { computed, reactive, ref, watch } from 'vue'
import { answer, api, theirsOf, version, type Schemas } from '@/shared/api/client'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import WorkButton from '@/shared/parts/WorkButton.vue'
import { ME, useMe } from '@/shared/session'
import { QUANTITIES, unitsOf, type Quantity } from '@/shared/units'

type Units = Schemas['Units']
const queries = useQueryClient()
const me = useMe()
const name = ref('')
const open = ref(false)
const seen = ref(0)
const units = reactive<Units>({ speed: 'km/h', temperature: '°C', pressure: 'kPa', volume: 'l' })
const keys = Object.keys(QUANTITIES) as Quantity[]
const same = computed(
  () =>
    name.value === me.data.value?.team &&
    open.value === me.data.value.open_ranking &&
    keys.every((key) => units[key] === me.data.value?.team_units[key]),
)
function show() {
  name.value = me.data.value?.team ?? ''
  open.value = me.data.value?.open_ranking ?? false
  Object.assign(units, me.data.value?.team_units)
  seen.value = me.data.value?.team_version ?? 0
}
watch(
  () => me.data.value?.team_version,
  () => {
    // What somebody is typing stays; saving tells whether it is out of date.
    if (!seen.value || same.value) show()
  },
  { immediate: true },
)
const save = useMutation({
  mutationFn: () =>
    answer(
      api.PUT('/api/team', {
        params: { header: version(seen.value) },
        body: { name: name.value, open_ranking: open.value, units: { ...units } },
      }),
    ),
  onSuccess: async () => {
    await queries.invalidateQueries({ queryKey: ME })
    show()
    // Sentences say their quantities in the units in use.
    await queries.invalidateQueries({ predicate: ({ queryKey }) => queryKey[0] !== 'me' })
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
      <fieldset class="units">
        <legend>Units of who chose none of their own</legend>
        <label v-for="key in keys" :key="key"
          >{{ QUANTITIES[key] }}
          <select v-model="units[key]" :name="`team-${key}`">
            <option v-for="item in unitsOf(key)" :key="item">{{ item }}</option>
          </select></label
        >
      </fieldset>
      <WorkButton type="submit" color="primary" :disabled="!name.trim() || same" :loading="save.isPending.value"
        >Keep</WorkButton
      >
    </form>
    <v-alert v-if="theirsOf(save.error.value)" type="warning" role="alert" class="my-2">
      Somebody else changed the team meanwhile: it is called {{ me.data.value?.team }} now, and drivers
      {{ me.data.value?.open_ranking ? 'see' : "don't see" }} each other's figures; units are
      {{ Object.values(me.data.value?.team_units ?? {}).join(', ') }}. Nothing of yours is written yet.
      <template #append>
        <v-btn size="small" color="primary" @click="((seen = me.data.value?.team_version ?? 0), save.mutate())"
          >Write mine over it</v-btn
        >
        <v-btn size="small" variant="outlined" @click="(show(), save.reset())">Keep theirs</v-btn>
      </template>
    </v-alert>
    <TroubleNote v-else :error="save.error.value" />
  </section>
</template>

<style scoped>
.units {
  border: 0;
  padding: 0;
  margin: 0;
  display: flex;
  flex-wrap: wrap;
  gap: 4px 14px;
  align-items: center;
}
.units legend {
  float: left;
  margin-right: 10px;
  line-height: 2;
}
</style>
