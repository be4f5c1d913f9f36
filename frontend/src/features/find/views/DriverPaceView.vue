<script setup lang="ts">
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { RouterLink, useRoute } from 'vue-router'
import { answer, api } from '@/shared/api/client'
import { useAlso, useAskedWeek } from '@/features/find/look'
import AlikePart from '@/features/find/parts/AlikePart.vue'
import AlsoNote from '@/features/find/parts/AlsoNote.vue'
import DriverChoice from '@/features/find/parts/DriverChoice.vue'
import LikelyPart from '@/features/find/parts/LikelyPart.vue'
import OverRunPart from '@/features/find/parts/OverRunPart.vue'
import OptionsPart from '@/features/find/parts/OptionsPart.vue'
import SharePart from '@/features/find/parts/SharePart.vue'
import SwitchesPart from '@/features/find/parts/SwitchesPart.vue'
import SkeletonRows from '@/shared/parts/SkeletonRows.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import { useCombination } from '@/shared/queries'

const props = defineProps<{ id: string; driver: string }>()
const route = useRoute()
const week = useAskedWeek()
const also = useAlso()
const combination = useCombination(() => props.id)
const analysis = useQuery({
  queryKey: ['analysis', () => props.id, week, also],
  placeholderData: keepPreviousData,
  queryFn: () =>
    answer(
      api.GET('/api/combinations/{combination_id}/analysis', {
        params: { path: { combination_id: props.id }, query: { week: week.value, also: also.value } },
      }),
    ),
})
const pace = useQuery({
  queryKey: ['driver-laps', () => props.id, () => props.driver, 'pace', week, also],
  placeholderData: keepPreviousData,
  queryFn: () =>
    answer(
      api.GET('/api/combinations/{combination_id}/drivers/{driver_id}/pace', {
        params: {
          path: { combination_id: props.id, driver_id: props.driver },
          query: { week: week.value, also: also.value },
        },
      }),
    ),
})
const shown = computed(() => (pace.data.value?.id === props.driver ? pace.data.value : undefined))
const names = computed(() =>
  Object.fromEntries((analysis.data.value?.segments ?? []).map((segment) => [segment.code, segment.name])),
)
const markWords = computed(() => analysis.data.value?.mark_words ?? {})

const groupWords = computed(() => {
  const group = shown.value?.figures.group
  return group
    ? [group.race ? 'race' : 'practice', group.wetness, group.compound ? `${group.compound} tyres` : null]
        .filter(Boolean)
        .join(', ')
    : ''
})
</script>

<template>
  <div class="top">
    <div>
      <h1>{{ shown ? `${shown.name}: pace and consistency` : 'Pace and consistency' }}</h1>
      <p v-if="combination.data.value" class="quiet">
        <RouterLink :to="{ name: 'combination', params: { id }, query: { ...route.query, driver } }"
          >{{ combination.data.value.track }}, {{ combination.data.value.layout }},
          {{ combination.data.value.car }}</RouterLink
        >
        <template v-if="shown"> · {{ groupWords }} · {{ shown.surer }}</template>
      </p>
    </div>
    <div class="acts">
      <DriverChoice :driver="driver" :drivers="analysis.data.value?.drivers" />
      <RouterLink :to="{ name: 'accounts', params: { id, driver }, query: route.query }"
        >Where every thousandth went</RouterLink
      >
      <SharePart
        v-if="shown"
        :id="id"
        :week="week"
        :driver="{ id: driver, name: shown.name }"
        :tables="[
          { what: 'pace', words: 'Pace and consistency' },
          { what: 'laps', words: 'Laps with losses' },
        ]"
      />
    </div>
  </div>
  <SwitchesPart :countable="shown?.countable" />
  <TroubleNote :error="pace.error.value ?? combination.error.value" :again="() => pace.refetch()" />
  <SkeletonRows v-if="pace.isPending.value" :rows="12" label="Computing the figures" />
  <template v-if="shown">
    <AlikePart :id="id" :driver="driver" :week="week" :pace="shown" :names="names" :mark-words="markWords" />

    <OverRunPart :id="id" :driver="driver" :week="week" :pace="shown" :names="names" />

    <LikelyPart :pace="shown" />

    <section class="sheet part" aria-labelledby="options">
      <h2 id="options">Options that were tried<AlsoNote /></h2>
      <OptionsPart :options="shown.options" :names="names" />
    </section>
  </template>
</template>

<style scoped src="@/features/find/pace.css"></style>
