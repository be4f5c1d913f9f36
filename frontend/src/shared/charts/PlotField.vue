<script setup lang="ts">
import { computed, ref } from 'vue'
import { useWidth } from '@/shared/charts/width'

/** Points and lines over two axes: the earlier further left, the faster lower. Full points count, rings don't. */
export interface PlotPoint {
  key: string
  x: number
  y: number
  ring?: boolean
  words: string
}
export interface PlotLine {
  key: string
  at: [number, number][]
  kind: 'trend' | 'curve' | 'other' | 'target'
}
const props = withDefaults(
  defineProps<{
    points: PlotPoint[]
    lines?: PlotLine[]
    label: string
    across: string
    format: (value: number) => string
    formatAcross?: (value: number) => string
    high?: number
    parts?: { from: number; words: string }[]
    zero?: boolean
  }>(),
  { lines: () => [], high: 190, parts: () => [], formatAcross: (value: number) => String(value), zero: false },
)
const emit = defineEmits<{ pick: [key: string] }>()
const LEFT = 74
const RIGHT = 12
const TOP = 10
const BOTTOM = 34
const frame = ref<HTMLElement>()
const wide = useWidth(() => frame.value, 280, 900)

const all = computed<[number, number][]>(() => [
  ...props.points.map((point): [number, number] => [point.x, point.y]),
  ...props.lines.filter((line) => line.kind !== 'target').flatMap((line) => line.at),
])
const xs = computed(() =>
  range(
    all.value.map((item) => item[0]),
    0.02,
  ),
)
const ys = computed(() => {
  const counted = props.points.filter((point) => !point.ring).map((point) => point.y)
  const values = [
    ...(counted.length ? counted : props.points.map((point) => point.y)),
    ...props.lines.flatMap((line) => line.at.map((item) => item[1])),
    ...(props.zero ? [0] : []),
  ]
  return range(values, 0.08)
})
function range(values: number[], margin: number): [number, number] {
  if (!values.length) return [0, 1]
  const low = Math.min(...values)
  const high = Math.max(...values)
  const room = Math.max((high - low) * margin, 1e-6 * Math.max(Math.abs(high), 1))
  return [low - room, high + room]
}
const x = (value: number) => LEFT + ((value - xs.value[0]) / (xs.value[1] - xs.value[0])) * (wide.value - LEFT - RIGHT)
/** What lies beyond the scale is shown at its edge: one slow lap must not press all others flat. */
const y = (value: number) => {
  const inside = Math.min(Math.max(value, ys.value[0]), ys.value[1])
  return props.high - BOTTOM - ((inside - ys.value[0]) / (ys.value[1] - ys.value[0])) * (props.high - TOP - BOTTOM)
}
function steps(low: number, high: number, most: number): number[] {
  const rough = (high - low) / most
  const scale = 10 ** Math.floor(Math.log10(rough))
  const step = [1, 2, 5, 10].map((factor) => factor * scale).find((size) => size >= rough) ?? rough
  const first = Math.ceil(low / step)
  return Array.from({ length: Math.max(0, Math.floor(high / step) - first + 1) }, (_, index) => (first + index) * step)
}
const rungs = computed(() => steps(...ys.value, 4))
const marks = computed(() => steps(...xs.value, Math.max(3, Math.floor(wide.value / 110))))
const path = (line: PlotLine) =>
  line.at.map(([a, b], index) => `${index ? 'L' : 'M'}${x(a).toFixed(1)} ${y(b).toFixed(1)}`).join('')
</script>

<template>
  <div ref="frame" class="frame">
    <svg :width="wide" :height="high" :viewBox="`0 0 ${wide} ${high}`" role="img" :aria-label="label">
      <g v-for="value in rungs" :key="`y${value}`">
        <line
          class="rung"
          :x1="LEFT"
          :x2="wide - RIGHT"
          :y1="y(value)"
          :y2="y(value)"
          :class="{ zero: zero && value === 0 }"
        />
        <text class="number" :x="LEFT - 6" :y="y(value) + 4" text-anchor="end">{{ format(value) }}</text>
      </g>
      <template v-if="!parts.length">
        <text
          v-for="value in marks"
          :key="`x${value}`"
          class="number"
          :x="x(value)"
          :y="high - BOTTOM + 16"
          text-anchor="middle"
        >
          {{ formatAcross(value) }}
        </text>
      </template>
      <g v-for="part in parts" :key="`p${part.from}`">
        <line class="part" :x1="x(part.from)" :x2="x(part.from)" :y1="TOP" :y2="high - BOTTOM + 6" />
        <text :x="x(part.from) + 4" :y="high - BOTTOM + 16">{{ part.words }}</text>
      </g>
      <text class="across" :x="wide - RIGHT" :y="high - 3" text-anchor="end">{{ across }}</text>
      <path v-for="line in lines" :key="line.key" :d="path(line)" :class="line.kind" />
      <g v-for="point in points" :key="point.key" class="point" @click="emit('pick', point.key)">
        <title>{{ point.words }}</title>
        <circle :cx="x(point.x)" :cy="y(point.y)" r="9" class="reach" />
        <circle :cx="x(point.x)" :cy="y(point.y)" r="3.6" :class="{ ring: point.ring }" class="dot" />
      </g>
    </svg>
  </div>
</template>

<style scoped>
.frame {
  width: 100%;
  overflow: hidden;
}
text {
  fill: var(--quiet);
  font-size: 12px;
}
.rung {
  stroke: var(--rule);
}
.zero {
  stroke: var(--quiet);
}
.part {
  stroke: var(--rule);
  stroke-dasharray: 2 3;
}
.point {
  cursor: pointer;
}
.reach {
  fill: transparent;
}
.dot {
  fill: var(--ink);
  stroke: var(--ink);
  stroke-width: 1.5;
}
.ring {
  fill: var(--sheet);
  stroke: var(--quiet);
}
.trend,
.curve,
.other,
.target {
  fill: none;
  stroke: var(--accent);
  stroke-width: 2;
}
.other {
  stroke: var(--loss);
  stroke-dasharray: 7 4;
}
.target {
  stroke: var(--ochre);
  stroke-dasharray: 3 4;
}
</style>
