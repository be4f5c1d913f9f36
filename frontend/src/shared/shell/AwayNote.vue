<script setup lang="ts">
import { away } from '@/shared/away'
</script>

<template>
  <v-alert v-if="away" type="warning" role="alert" class="away"
    >{{ away }} What you typed stays here; every few seconds this page looks whether it is back.</v-alert
  >
</template>

<style scoped>
.away {
  position: sticky;
  top: 0;
  z-index: 5;
  margin-bottom: 10px;
}
</style>
