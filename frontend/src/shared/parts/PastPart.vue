<script setup lang="ts">
import { ref } from 'vue'
import HistoryList from '@/shared/parts/HistoryList.vue'

/** Who changed a thing, and when; asked for only when somebody wants to know. */
defineProps<{ thing: 'layout' | 'layout_corner'; id: string; title: string }>()
const open = ref(false)
</script>

<template>
  <details class="sheet part" @toggle="open = ($event.target as HTMLDetailsElement).open">
    <summary>{{ title }}</summary>
    <HistoryList v-if="open" :id="id" :thing="thing" />
  </details>
</template>
