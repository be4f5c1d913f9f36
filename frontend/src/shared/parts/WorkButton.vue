<script setup lang="ts">
/** A button that shows that it is at work, and says so to those who don't see it. */
defineProps<{ loading?: boolean }>()
</script>

<template>
  <v-btn :loading="loading">
    <slot />
    <template #loader><v-progress-circular indeterminate size="18" width="2" aria-label="Working" /></template>
  </v-btn>
</template>
