<script setup lang="ts">
import { useMutation, useQueryClient } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import { answer, api, fileBody } from '@/shared/api/client'
import { count, length } from '@/shared/format'
import FileDrop from '@/shared/parts/FileDrop.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import WorkButton from '@/shared/parts/WorkButton.vue'
import { useLayouts } from '@/shared/queries'

const router = useRouter()
const queries = useQueryClient()
const layouts = useLayouts()
const layoutId = ref<string | null>(null)
const car = ref('')
const choices = computed(() =>
  (layouts.data.value?.items ?? []).map((item) => ({
    value: item.id,
    title: `${item.track}, ${item.layout}`,
    props: {
      subtitle: `${length(item.length_m)} · ${count(item.corners, 'corner')} · ${count(item.sectors, 'sector')}`,
    },
  })),
)
watch(choices, (items) => {
  if (!layoutId.value && items.length === 1) layoutId.value = items[0]?.value ?? null
})

const addTrack = useMutation({
  mutationFn: (file: File) => answer(api.POST('/api/layouts', fileBody(file))),
  onSuccess: async (layout) => {
    await queries.invalidateQueries({ queryKey: ['layouts'] })
    layoutId.value = layout.id
  },
})
const create = useMutation({
  mutationFn: () =>
    answer(api.POST('/api/combinations', { body: { layout_id: layoutId.value ?? '', car: car.value } })),
  onSuccess: async (made) => {
    await queries.invalidateQueries({ queryKey: ['combinations'] })
    await router.push({ name: 'add-laps', params: { id: made.id } })
  },
})
</script>

<template>
  <h1>New combination</h1>
  <p class="quiet note">A car on a track. Laps are only compared within one combination.</p>
  <form v-draft="'new combination'" class="form" @submit.prevent="create.mutate()">
    <section class="sheet part">
      <h2>1. The track</h2>
      <FileDrop
        label="Choose a track file"
        accept=".json"
        hint="*.track.json"
        :busy="addTrack.isPending.value"
        @file="addTrack.mutate($event)"
      />
      <TroubleNote :error="addTrack.error.value" />
      <p v-if="addTrack.data.value" role="status" class="note">
        {{ addTrack.data.value.track }}, {{ addTrack.data.value.layout }}
        {{ addTrack.data.value.already_there ? 'was there already and is chosen now.' : 'is added and chosen now.' }}
      </p>
      <TroubleNote :error="layouts.error.value" :again="() => layouts.refetch()" />
      <v-select
        v-if="choices.length"
        v-model="layoutId"
        class="mt-4"
        :items="choices"
        label="Track and layout"
        hide-details
      />
    </section>
    <section class="sheet part">
      <h2>2. The car</h2>
      <v-text-field v-model="car" label="Name of the car" maxlength="120" hide-details autocomplete="off" />
    </section>
    <TroubleNote :error="create.error.value" />
    <WorkButton type="submit" color="primary" :disabled="!layoutId || !car.trim()" :loading="create.isPending.value"
      >Create, then add laps</WorkButton
    >
  </form>
</template>

<style scoped>
.form {
  max-width: 640px;
  display: grid;
  gap: 14px;
  justify-items: start;
}
.part {
  padding: 14px 18px 18px;
  width: 100%;
}
.part h2 {
  margin-bottom: 10px;
}
</style>
