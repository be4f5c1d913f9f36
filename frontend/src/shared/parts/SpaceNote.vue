<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { answer, api } from '@/shared/api/client'
import { fileSize } from '@/shared/format'

/** How much room files have, told where some are added; in ochre before it is used up. */
const room = useQuery({ queryKey: ['space'], queryFn: () => answer(api.GET('/api/space')) }).data
</script>

<template>
  <p v-if="room" :class="['room', room.nearly_full ? 'nearly' : 'quiet']">
    <b v-if="room.nearly_full">Nearly full.</b>
    Your files use {{ fileSize(room.own_used) }} of {{ fileSize(room.own_most) }}, the team’s
    {{ fileSize(room.team_used) }} of {{ fileSize(room.team_most) }}.
    <template v-if="room.nearly_full">The disk of this installation has {{ fileSize(room.free) }} left.</template>
  </p>
</template>

<style scoped>
.room {
  font-size: 0.88rem;
  margin: 6px 0;
}
.nearly {
  border-left: 4px solid var(--ochre);
  padding-left: 8px;
}
</style>
