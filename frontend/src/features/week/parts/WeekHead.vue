<script setup lang="ts">
import WeekTabs from '@/features/week/parts/WeekTabs.vue'

/** The head of a page of the week: its title, the other pages, and what can be done here. */
defineProps<{ title: string }>()
</script>

<template>
  <div class="head">
    <h1>{{ title }}</h1>
    <WeekTabs />
    <div class="acts"><slot /></div>
  </div>
</template>

<style scoped>
.head,
.acts {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 6px 18px;
}
.head {
  margin-bottom: 8px;
}
.acts {
  gap: 6px;
  margin-left: auto;
}
</style>
