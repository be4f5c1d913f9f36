<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { answer, api } from '@/api/client'

/** How much room files have, told where some are added; in ochre before it is used up. */
const NEARLY = 0.8
const asked = useQuery({ queryKey: ['space'], queryFn: () => answer(api.GET('/api/space')) })
const size = (bytes: number) => (bytes >= 1e9 ? `${(bytes / 1e9).toFixed(1)} GB` : `${Math.round(bytes / 1e6)} MB`)
const told = computed(() => {
  const room = asked.data.value
  if (!room) return undefined
  const nearly = room.own_used > NEARLY * room.own_most || room.team_used > NEARLY * room.team_most || room.free < 2e9
  const disk = room.free < 2e9 ? ` The disk of this installation has ${size(room.free)} left.` : ''
  return { nearly, words: `Your files use ${size(room.own_used)} of ${size(room.own_most)}, the team’s ${size(room.team_used)} of ${size(room.team_most)}.${disk}` }
})
</script>

<template>
  <p v-if="told" :class="['room', told.nearly ? 'nearly' : 'quiet']"><b v-if="told.nearly">Nearly full.</b> {{ told.words }}</p>
</template>

<style scoped>
.room {
  font-size: 0.88rem;
  margin: 6px 0;
}
.nearly {
  border-left: 4px solid var(--ochre, var(--loss));
  padding-left: 8px;
}
</style>
