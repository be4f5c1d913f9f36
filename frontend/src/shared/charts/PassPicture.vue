<script setup lang="ts">
import { computed } from 'vue'

/** One pass over the good one: speed above, pedals and wheel beneath, over distance. Full ink is the pass, the dotted line the good one. */
const props = defineProps<{
  at: number[]
  good: Record<string, (number | null)[]>
  own: Record<string, (number | null)[]>
  begins: number | null
  marks: { at_m: number; words: string }[]
  label: string
}>()
const WIDE = 300
const ROWS = [
  { channel: 'speed_kmh', words: 'speed', top: 4, high: 74 },
  { channel: 'brake_pct', words: 'brake', top: 86, high: 34 },
  { channel: 'throttle_pct', words: 'throttle', top: 126, high: 34 },
  { channel: 'steering_deg', words: 'wheel', top: 166, high: 34 },
] as const
const shown = computed(() => ROWS.filter((row) => props.good[row.channel]))
const HIGH = 214
const from = computed(() => props.at[0] ?? 0)
const to = computed(() => props.at.at(-1) ?? 1)
const x = (metres: number) => 4 + ((metres - from.value) / Math.max(1, to.value - from.value)) * (WIDE - 8)
function line(values: (number | null)[] | undefined, row: (typeof ROWS)[number]): string {
  if (!values) return ''
  const all = [...(props.good[row.channel] ?? []), ...(props.own[row.channel] ?? [])].filter(
    (value): value is number => value !== null,
  )
  const [low, high] = row.channel.endsWith('_pct') ? [0, 100] : [Math.min(...all), Math.max(...all)]
  const y = (value: number) => row.top + row.high - ((value - low) / Math.max(1e-6, high - low)) * row.high
  let pen = 'M'
  return values
    .map((value, index) => {
      if (value === null) {
        pen = 'M'
        return ''
      }
      const piece = `${pen}${x(props.at[index]!).toFixed(1)} ${y(value).toFixed(1)}`
      pen = 'L'
      return piece
    })
    .join('')
}
</script>

<template>
  <svg :viewBox="`0 0 ${WIDE} ${HIGH}`" width="100%" role="img" :aria-label="label">
    <rect
      v-if="begins !== null"
      class="losing"
      :x="x(begins)"
      y="0"
      :width="Math.max(0, x(to) - x(begins))"
      :height="HIGH - 12"
    />
    <line
      v-for="mark in marks"
      :key="mark.words"
      class="mark"
      :x1="x(mark.at_m)"
      :x2="x(mark.at_m)"
      y1="0"
      :y2="HIGH - 12"
    />
    <g v-for="row in shown" :key="row.channel">
      <path class="good" :d="line(good[row.channel], row)" />
      <path class="own" :d="line(own[row.channel], row)" />
      <text class="word" x="5" :y="row.top + 10">{{ row.words }}</text>
    </g>
    <text
      v-for="mark in marks"
      :key="`w${mark.words}`"
      class="word"
      :x="x(mark.at_m)"
      :y="HIGH - 2"
      text-anchor="middle"
    >
      {{ mark.words }}
    </text>
  </svg>
</template>

<style scoped>
.losing {
  fill: var(--loss);
  opacity: 0.09;
}
.mark {
  stroke: var(--rule);
}
.own {
  fill: none;
  stroke: var(--ink);
  stroke-width: 1.8;
}
.good {
  fill: none;
  stroke: var(--accent);
  stroke-width: 1.6;
  stroke-dasharray: 2 3;
}
.word {
  font: 10px var(--sans);
  fill: var(--quiet);
}
</style>
