<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '@/shared/api/client'
import StripList from '@/features/log/parts/StripList.vue'

/** How often a corner went wrong in the race, over how often it did in practice: two bars from one line, as long as their shares of passes. */
const props = defineProps<{ items: Schemas['PressureOut'][] }>()
const LEAST = 0.05
const rows = computed(() =>
  props.items.map((item) => ({
    key: item.corner,
    words: item.words,
    told: item.told,
    race: item.race_slips / Math.max(1, item.race_passes),
    practice: item.practice_slips / Math.max(1, item.practice_passes),
  })),
)
const most = computed(() => Math.max(LEAST, ...rows.value.flatMap((row) => [row.race, row.practice])))
</script>

<template>
  <StripList v-slot="{ row, width }" :rows="rows">
    <line x1="4" x2="4" y1="1" y2="21" class="axis" />
    <rect x="4" y="3" :width="((width - 8) * row.race) / most" height="8" class="race" />
    <rect x="4" y="12" :width="((width - 8) * row.practice) / most" height="6" class="practice" />
  </StripList>
</template>

<style scoped>
.axis {
  stroke: var(--quiet);
}
.race {
  fill: var(--loss);
}
.practice {
  fill: var(--rule);
  stroke: var(--quiet);
}
</style>
