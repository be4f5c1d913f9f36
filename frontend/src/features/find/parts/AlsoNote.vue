<script setup lang="ts">
import { computed } from 'vue'
import { useRoute } from 'vue-router'
import { ALSO, useAlso } from '@/features/find/look'

/** Stands beside every figure that a switch touches, as long as the switch is on. */
const also = useAlso()
const route = useRoute()
const words = computed(() => [
  ...also.value.map((name) => ALSO[name]),
  ...(route.query.week === 'all' ? ['earlier weeks'] : []),
])
</script>

<template>
  <span v-if="words.length" class="also">with {{ words.join(', ') }}</span>
</template>

<style scoped>
.also {
  margin-left: 8px;
  padding: 0 6px;
  border: 1px dashed var(--ochre);
  border-radius: 3px;
  color: var(--ochre);
  font-family: var(--sans);
  font-size: 0.85rem;
  font-weight: 600;
  white-space: nowrap;
}
</style>
