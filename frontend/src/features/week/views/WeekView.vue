<script setup lang="ts">
import { maySeeAll, useMe } from '@/shared/session'
import BoardView from '@/features/week/views/BoardView.vue'
import MyWeekView from '@/features/week/views/MyWeekView.vue'

const me = useMe()
</script>

<template>
  <template v-if="me.data.value">
    <BoardView v-if="maySeeAll(me.data.value.role)" />
    <MyWeekView v-else />
  </template>
</template>
