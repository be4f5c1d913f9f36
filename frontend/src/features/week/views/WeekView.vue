<script setup lang="ts">
import { useMay, useMe } from '@/shared/session'
import BoardView from '@/features/week/views/BoardView.vue'
import MyWeekView from '@/features/week/views/MyWeekView.vue'

const me = useMe()
const may = useMay()
</script>

<template>
  <template v-if="me.data.value">
    <BoardView v-if="may('drivers.see_all')" />
    <MyWeekView v-else />
  </template>
</template>
