<script setup lang="ts">
import { ref } from 'vue'
import HistoryList from '@/shared/parts/HistoryList.vue'
import { useMay } from '@/shared/session'

const may = useMay()
const mine = ref(false)
</script>

<template>
  <h1>History</h1>
  <p class="quiet note">
    Who changed what, and when. Taking something back is itself a step here, so nothing is ever lost; what somebody
    changed since is not written over. Ctrl Z takes back your own last step from any page, Ctrl Y does it again.
  </p>
  <v-checkbox v-if="may('drivers.see_all')" v-model="mine" label="Only my own steps" class="mb-2" />
  <section class="sheet box"><HistoryList :key="String(mine)" :mine="mine" /></section>
</template>

<style scoped>
.box {
  padding: 6px 16px 14px;
  max-width: 1000px;
}
</style>
