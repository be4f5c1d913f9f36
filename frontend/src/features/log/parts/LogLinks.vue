<script setup lang="ts">
import { RouterLink } from 'vue-router'

/** What belongs to Log. */
</script>

<template>
  <nav class="links" aria-label="Log">
    <RouterLink to="/log">Races behind</RouterLink> <RouterLink to="/log/learned">Learned</RouterLink>
    <RouterLink to="/log/books">Seasons of drivers</RouterLink>
    <RouterLink to="/log/written">All that was written</RouterLink>
  </nav>
</template>

<style scoped src="@/shared/theme/page.css"></style>
