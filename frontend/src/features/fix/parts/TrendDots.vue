<script setup lang="ts">
import { computed } from 'vue'

/** A mistake's rate from run to run: a stroke for each run, as high as its rate, on the passes it was driven. */
const props = defineProps<{
  runs: { session: string; run: number | null; passes: number; slips: number }[]
  words: string
}>()
const STEP = 9
const HIGH = 24
const shown = computed(() => props.runs.slice(-14))
const label = computed(() => `${props.words} ${shown.value.map((run) => `${run.slips} of ${run.passes}`).join(', ')}`)
</script>

<template>
  <svg :width="shown.length * STEP + 2" :height="HIGH" role="img" :aria-label="label">
    <title>{{ label }}</title>
    <line x1="0" :x2="shown.length * STEP" :y1="HIGH - 1" :y2="HIGH - 1" class="base" />
    <rect
      v-for="(run, index) in shown"
      :key="index"
      class="stroke"
      :x="index * STEP + 1"
      :width="STEP - 3"
      :y="HIGH - 1 - (HIGH - 3) * Math.min(1, run.slips / Math.max(1, run.passes))"
      :height="(HIGH - 3) * Math.min(1, run.slips / Math.max(1, run.passes))"
    />
  </svg>
</template>

<style scoped>
.base {
  stroke: var(--quiet);
}
.stroke {
  fill: var(--loss);
}
</style>
