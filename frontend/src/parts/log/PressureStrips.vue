<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '@/api/client'

/** How often a corner went wrong in the race, over how often it did in practice: two bars from one line, as long as their shares of passes. */
const props = defineProps<{ items: Schemas['PressureOut'][] }>()
const WIDTH = 220
const share = (slips: number, passes: number) => (passes ? slips / passes : 0)
const most = computed(() => Math.max(0.05, ...props.items.flatMap((item) => [share(item.race_slips, item.race_passes), share(item.practice_slips, item.practice_passes)])))
const rows = computed(() => props.items.map((item) => ({ ...item, race: ((WIDTH - 8) * share(item.race_slips, item.race_passes)) / most.value, practice: ((WIDTH - 8) * share(item.practice_slips, item.practice_passes)) / most.value })))
</script>

<template>
  <ul class="plain strips">
    <li v-for="row in rows" :key="row.corner" :class="{ told: row.told }">
      <svg :viewBox="`0 0 ${WIDTH} 22`" :width="WIDTH" height="22" aria-hidden="true">
        <line x1="4" x2="4" y1="1" y2="21" class="axis" />
        <rect x="4" y="3" :width="row.race" height="8" class="race" />
        <rect x="4" y="12" :width="row.practice" height="6" class="practice" />
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
.told {
  border-left: 3px solid var(--ochre);
  padding-left: 8px;
}
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
