<script setup lang="ts">
import { useRoute, useRouter } from 'vue-router'

/** Turns a page of one driver to the same page of another. */
defineProps<{ driver: string; drivers: { id: string; name: string }[] | undefined }>()
const route = useRoute()
const router = useRouter()
const turnTo = (event: Event) =>
  void router.replace({
    params: { ...route.params, driver: (event.target as HTMLSelectElement).value },
    query: route.query,
  })
</script>

<template>
  <label v-if="(drivers?.length ?? 0) > 1"
    >Driver
    <select :value="driver" @change="turnTo">
      <option v-for="item in drivers" :key="item.id" :value="item.id">{{ item.name }}</option>
    </select>
  </label>
</template>
