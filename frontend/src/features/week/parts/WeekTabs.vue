<script setup lang="ts">
import { RouterLink } from 'vue-router'
import { useMay } from '@/shared/session'

const may = useMay()
</script>

<template>
  <nav class="tabs" aria-label="Pages of the week">
    <RouterLink to="/" exact-active-class="here">{{ may('drivers.see_all') ? 'Board' : 'My week' }}</RouterLink>
    <RouterLink to="/seasons" active-class="here">Seasons</RouterLink>
    <RouterLink to="/combinations" exact-active-class="here">Combinations</RouterLink>
    <RouterLink to="/cars" active-class="here">Cars</RouterLink>
    <RouterLink to="/team" active-class="here">{{ may('drivers.see_all') ? 'Team' : 'My profile' }}</RouterLink>
  </nav>
</template>
