<script setup lang="ts">
import { computed } from 'vue'
import type { LiveRun } from '@/shared/api/client'
import { lapTime } from '@/shared/format'

/** A run's laps as dots, the faster the lower: full ones count, rings don't, diamonds are out and in laps; the line is the target. */
const props = defineProps<{ laps: LiveRun['laps']; target: number | null; name: string }>()
const WIDE = 340
const HIGH = 74
const SIDE = 8
const flying = computed(() => props.laps.filter((lap) => lap.kind === 'flying'))
const range = computed(() => {
  const times = flying.value.map((lap) => lap.time_us)
  if (props.target) times.push(props.target)
  const low = Math.min(...times)
  // One slow lap must not press all others flat.
  const sorted = [...times].sort((a, b) => a - b)
  const high = Math.min(Math.max(...times), (sorted[Math.floor(sorted.length / 2)] ?? low) * 1.04)
  return { low, high: Math.max(high, low + 200_000) }
})
const x = (index: number) => SIDE + (props.laps.length < 2 ? 0.5 : index / (props.laps.length - 1)) * (WIDE - 2 * SIDE)
const y = (time: number) =>
  HIGH -
  10 -
  ((Math.min(Math.max(time, range.value.low), range.value.high) - range.value.low) /
    (range.value.high - range.value.low)) *
    (HIGH - 22)
const dots = computed(() =>
  props.laps.map((lap, index) => ({
    lap,
    x: x(index),
    y: lap.kind === 'flying' ? y(lap.time_us) : 8,
    counts: lap.counts,
    words: `lap ${lap.number}: ${lapTime(lap.time_us)}`,
  })),
)
const told = computed(() => `Laps of ${props.name}: ${dots.value.map((dot) => dot.words).join(', ')}`)
</script>

<template>
  <svg :viewBox="`0 0 ${WIDE} ${HIGH}`" role="img" :aria-label="told">
    <line v-if="target" class="target" x1="0" :x2="WIDE" :y1="y(target)" :y2="y(target)" />
    <g v-for="dot in dots" :key="dot.lap.number">
      <title>{{ dot.words }}</title>
      <path v-if="dot.lap.kind !== 'flying'" class="pit" :d="`M${dot.x} ${dot.y - 4}l4 4l-4 4l-4 -4z`" />
      <circle v-else :cx="dot.x" :cy="dot.y" r="4" :class="{ ring: !dot.counts }" />
      <line v-if="dot.lap.has_trace" class="traced" :x1="dot.x - 3" :x2="dot.x + 3" :y1="HIGH - 2" :y2="HIGH - 2" />
    </g>
  </svg>
</template>

<style scoped>
svg {
  width: 100%;
  max-height: 90px;
  margin-top: 4px;
}
circle {
  fill: var(--ink);
  stroke: var(--ink);
  stroke-width: 1.6;
}
.ring {
  fill: var(--sheet);
}
.pit {
  fill: none;
  stroke: var(--quiet);
}
.target {
  stroke: var(--accent);
  stroke-width: 1.6;
  stroke-dasharray: 6 4;
}
.traced {
  stroke: var(--quiet);
  stroke-width: 2;
}
</style>
