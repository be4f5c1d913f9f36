<script setup lang="ts">
import type { Schemas } from '@/api/client'

/** What was expected as a stretch, and where it came: each figure on a line of its own, drawn so that all stretches are as long. */
const props = defineProps<{ items: Schemas['ComparedOut'][] }>()
const WIDTH = 220
/** Where a value stands; the stretch takes the middle third, what is far beyond stands at the edge. */
function at(item: Schemas['ComparedOut'], value: number): number {
  const half = Math.max((item.high - item.low) / 2, 1e-9)
  const steps = (value - (item.low + item.high) / 2) / half
  return WIDTH / 2 + Math.max(-2.85, Math.min(2.85, steps)) * (WIDTH / 6)
}
const rows = () => props.items.map((item) => ({ ...item, low_x: at(item, item.low), high_x: at(item, item.high), value_x: at(item, item.value), happened_x: at(item, item.happened) }))
</script>

<template>
  <ul class="plain strips">
    <li v-for="row in rows()" :key="row.figure" :class="{ beyond: !row.inside }">
      <svg :viewBox="`0 0 ${WIDTH} 22`" :width="WIDTH" height="22" aria-hidden="true">
        <line x1="4" :x2="WIDTH - 4" y1="11" y2="11" class="axis" />
        <rect :x="row.low_x" y="6" :width="row.high_x - row.low_x" height="10" class="stretch" />
        <line :x1="row.value_x" :x2="row.value_x" y1="4" y2="18" class="value" />
        <path v-if="row.inside" :d="`M${row.happened_x} 5 l5 6 l-5 6 l-5 -6 z`" class="came" />
        <path v-else :d="`M${row.happened_x - 5} 6 l10 10 m0 -10 l-10 10`" class="came off" />
      </svg>
      <span class="words">{{ row.words }}</span>
    </li>
  </ul>
</template>

<style scoped>
.strips li {
  justify-content: flex-start;
}
.words {
  flex: 1 1 260px;
}
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
