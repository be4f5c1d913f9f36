<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { answer, api } from '@/shared/api/client'

/** A friendly word for who has sat at the wheel for long, or whose laps tell that it is enough. Nothing where all is well. */
const props = defineProps<{ driver?: string }>()
const asked = useQuery({
  queryKey: ['live', 'seats'],
  queryFn: () => answer(api.GET('/api/seats')),
  refetchInterval: 60_000,
})
const told = computed(() =>
  (asked.data.value?.items ?? []).filter(
    (item) => item.words.length && (!props.driver || item.driver_id === props.driver),
  ),
)
</script>

<template>
  <aside
    v-for="item in told"
    :key="item.driver_id"
    class="sheet part seat"
    role="status"
    :aria-label="`${item.driver} at the wheel`"
  >
    <p>
      <b>{{ item.driver }}</b>, {{ Math.round(item.minutes) }} min at the wheel, {{ item.laps }} laps.
    </p>
    <p v-for="words in item.words" :key="words">{{ words }}</p>
  </aside>
</template>

<style scoped>
.seat {
  border-left: 4px solid var(--ochre);
  margin-bottom: 10px;
}
.seat p {
  margin: 0 0 2px;
}
</style>
