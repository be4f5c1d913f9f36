<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed, useId } from 'vue'
import { RouterLink } from 'vue-router'
import { answer, api } from '@/shared/api/client'
import { ties, useLessonsOfWeek } from '@/features/log/log'

/** What was learned before and comes back in a week, since its track, car, series or drivers do; or on a track. Nothing where nothing does. */
const props = defineProps<{ week?: string; layout?: string; driver?: string }>()
const ofWeek = useLessonsOfWeek(() => props.week ?? '')
const ofLayout = useQuery({
  queryKey: ['lessons', 'layout', () => props.layout],
  enabled: () => Boolean(props.layout),
  queryFn: () => answer(api.GET('/api/lessons', { params: { query: { layout: props.layout } } })),
})
const items = computed(() =>
  ((props.week ? ofWeek.data.value?.items : ofLayout.data.value?.items) ?? []).filter(
    (item) => item.confirmed_at && (!props.driver || !item.driver_id || item.driver_id === props.driver),
  ),
)
const title = useId()
</script>

<template>
  <section v-if="items.length" class="sheet part" :aria-labelledby="title">
    <h2 :id="title">Learned before</h2>
    <ul>
      <li v-for="item in items" :key="item.id">
        {{ item.text }} <span class="quiet">{{ ties(item) }}</span>
      </li>
    </ul>
    <p><RouterLink to="/log/learned">All that was learned</RouterLink></p>
  </section>
</template>

<style scoped>
ul {
  padding-left: 18px;
}
.part {
  margin-bottom: 12px;
}
</style>
