<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '@/shared/api/client'
import StripList from '@/features/log/parts/StripList.vue'

/** What was expected as a stretch, and where it came: each figure on a line of its own, drawn so that all stretches are as long. */
const props = defineProps<{ items: Schemas['ComparedOut'][] }>()
/** Where a value stands, in halves of the stretch from its middle; what is far beyond stands at the edge. */
function steps(item: Schemas['ComparedOut'], value: number): number {
  const half = Math.max((item.high - item.low) / 2, 1e-9)
  return Math.max(-2.85, Math.min(2.85, (value - (item.low + item.high) / 2) / half))
}
const rows = computed(() =>
  props.items.map((item) => ({
    key: item.figure,
    words: item.words,
    inside: item.inside,
    low: steps(item, item.low),
    high: steps(item, item.high),
    value: steps(item, item.value),
    came: steps(item, item.happened),
  })),
)
/** The stretch takes the middle third. */
const at = (width: number, step: number) => width / 2 + (step * width) / 6
</script>

<template>
  <StripList v-slot="{ row, width }" :rows="rows">
    <line x1="4" :x2="width - 4" y1="11" y2="11" class="axis" />
    <rect :x="at(width, row.low)" y="6" :width="at(width, row.high) - at(width, row.low)" height="10" class="stretch" />
    <line :x1="at(width, row.value)" :x2="at(width, row.value)" y1="4" y2="18" class="value" />
    <path v-if="row.inside" :d="`M${at(width, row.came)} 5 l5 6 l-5 6 l-5 -6 z`" class="came" />
    <path v-else :d="`M${at(width, row.came) - 5} 6 l10 10 m0 -10 l-10 10`" class="came off" />
  </StripList>
</template>

<style scoped>
.axis {
  stroke: var(--rule);
}
.stretch {
  fill: var(--rule);
  stroke: var(--quiet);
}
.value {
  stroke: var(--quiet);
  stroke-dasharray: 2 2;
}
.came {
  fill: var(--accent);
}
.came.off {
  fill: none;
  stroke: var(--loss);
  stroke-width: 2.5;
}
</style>
