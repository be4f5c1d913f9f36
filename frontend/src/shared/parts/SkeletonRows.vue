<script setup lang="ts">
/** Rows where a table will stand, while it is being fetched. */
defineProps<{ rows: number; label: string }>()
</script>

<template>
  <div class="sheet skeleton" role="status" :aria-label="label">
    <span v-for="row in rows" :key="row" :style="{ '--part': `${54 + ((row * 37) % 40)}%` }" />
  </div>
</template>

<style scoped>
.skeleton {
  padding: 6px 10px;
}
.skeleton span {
  display: block;
  height: 31px;
  border-bottom: 1px solid var(--rule);
  background: linear-gradient(var(--rule), var(--rule)) 0 50% / var(--part) 11px no-repeat;
  animation: breathe 1.4s ease-in-out infinite alternate;
}
.skeleton span:last-child {
  border-bottom: 0;
}
@keyframes breathe {
  to {
    opacity: 0.45;
  }
}
</style>
