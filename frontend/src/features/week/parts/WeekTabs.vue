<script setup lang="ts">
import { RouterLink } from 'vue-router'
import { maySeeAll, useMe } from '@/shared/session'

const me = useMe()
</script>

<template>
  <nav class="tabs" aria-label="Pages of the week">
    <RouterLink to="/" exact-active-class="here">{{ maySeeAll(me.data.value?.role) ? 'Board' : 'My week' }}</RouterLink>
    <RouterLink to="/seasons" active-class="here">Seasons</RouterLink>
    <RouterLink to="/combinations" exact-active-class="here">Combinations</RouterLink>
    <RouterLink to="/cars" active-class="here">Cars</RouterLink>
    <RouterLink to="/team" active-class="here">{{ maySeeAll(me.data.value?.role) ? 'Team' : 'My profile' }}</RouterLink>
  </nav>
</template>
