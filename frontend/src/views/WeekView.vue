<script setup lang="ts">
import { maySeeAll, useMe } from '@/session'
import BoardView from '@/views/BoardView.vue'
import MyWeekView from '@/views/MyWeekView.vue'

const me = useMe()
</script>

<template>
  <template v-if="me.data.value">
    <BoardView v-if="maySeeAll(me.data.value.role)" />
    <MyWeekView v-else />
  </template>
</template>
