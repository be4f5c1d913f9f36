<script setup lang="ts">
import { computed, ref } from 'vue'
import { useWidth } from '@/shared/charts/width'
import type { Outline } from '@/shared/api/client'
import { fitting, path, Road, standing, type Point } from '@/shared/charts/track'

/** The layout from above, and the lap laid out straight beneath: each part as thick, and as high, as what it costs a lap. */
export interface CostPart {
  code: string
  name: string | null
  start_m: number
  end_m: number
  cost_us: number
  words: string
}
const props = defineProps<{
  outline: Outline | null
  length: number
  parts: CostPart[]
  here?: string
  label: string
}>()
const emit = defineEmits<{ pick: [code: string] }>()
const MAP = 210
const STRIP = 78
const EDGE = 22
const frame = ref<HTMLElement>()
const wide = useWidth(() => frame.value, 260, 560)

const most = computed(() => Math.max(1, ...props.parts.map((part) => part.cost_us)))
const share = (part: CostPart) => Math.max(0, part.cost_us) / most.value
const road = computed(() => (props.outline ? new Road(props.outline, props.length) : null))
const fit = computed(() =>
  road.value
    ? fitting(road.value.points, { left: EDGE, top: EDGE, width: wide.value - 2 * EDGE, height: MAP - 2 * EDGE })
    : null,
)
const whole = computed(() =>
  road.value && fit.value ? path([...road.value.points, road.value.points[0]!], fit.value.to) : '',
)
const costly = computed(() =>
  road.value && fit.value
    ? props.parts
        .filter((part) => part.cost_us > 0)
        .map((part) => ({
          part,
          d: path(road.value!.line(part.start_m, part.end_m), fit.value!.to),
          width: 3 + 9 * share(part),
        }))
    : [],
)
const names = computed(() => {
  if (!road.value || !fit.value) return []
  const labels = props.parts
    .filter((part) => part.cost_us > 0)
    .map((part) => {
      const [x, y]: Point = fit.value!.to(road.value!.at((part.start_m + part.end_m) / 2))
      return { x: x + 10, y: y - 8, text: part.code, rank: -part.cost_us }
    })
  return standing(
    [...labels].sort((a, b) => a.rank - b.rank),
    13,
    8,
  )
})
const x = (metres: number) => 6 + (metres / props.length) * (wide.value - 12)
const bars = computed(() =>
  props.parts.map((part) => {
    const high = share(part) * (STRIP - 34)
    return {
      part,
      x: x(part.start_m),
      width: Math.max(1, x(part.end_m) - x(part.start_m) - 1),
      y: STRIP - 20 - high,
      high,
      roomy: x(part.end_m) - x(part.start_m) > 15,
    }
  }),
)
</script>

<template>
  <div ref="frame" class="frame">
    <svg
      v-if="road"
      :width="wide"
      :height="MAP"
      :viewBox="`0 0 ${wide} ${MAP}`"
      role="img"
      :aria-label="`${label}, from above`"
    >
      <path class="road" :d="whole" />
      <path
        v-for="item in costly"
        :key="item.part.code"
        class="cost"
        :class="{ here: item.part.code === here }"
        :d="item.d"
        :stroke-width="item.width"
      />
      <text v-for="name in names" :key="name.text" class="code" :x="name.x" :y="name.y">{{ name.text }}</text>
    </svg>
    <svg
      :width="wide"
      :height="STRIP"
      :viewBox="`0 0 ${wide} ${STRIP}`"
      role="group"
      :aria-label="`${label}, along the lap`"
    >
      <line class="base" x1="6" :x2="wide - 6" :y1="STRIP - 20" :y2="STRIP - 20" />
      <g v-for="bar in bars" :key="bar.part.code">
        <rect
          v-if="bar.high > 0"
          class="bar"
          :class="{ here: bar.part.code === here }"
          :x="bar.x"
          :y="bar.y"
          :width="bar.width"
          :height="bar.high"
        />
        <text
          v-if="bar.high > 0 && bar.roomy"
          class="value"
          :x="bar.x + bar.width / 2"
          :y="bar.y - 4"
          text-anchor="middle"
        >
          {{ (bar.part.cost_us / 1e6).toFixed(2) }}
        </text>
        <text
          v-if="bar.roomy"
          class="code"
          :class="{ idle: bar.high <= 0 }"
          :x="bar.x + bar.width / 2"
          :y="STRIP - 6"
          text-anchor="middle"
        >
          {{ bar.part.code }}
        </text>
        <rect
          v-if="bar.part.cost_us > 0"
          class="press"
          :x="bar.x"
          y="0"
          :width="bar.width"
          :height="STRIP"
          role="button"
          tabindex="0"
          :aria-label="`${bar.part.code} ${bar.part.name ?? ''}: ${bar.part.words}`"
          @click="emit('pick', bar.part.code)"
          @keydown.enter="emit('pick', bar.part.code)"
          @keydown.space.prevent="emit('pick', bar.part.code)"
        >
          <title>{{ bar.part.words }}</title>
        </rect>
      </g>
    </svg>
  </div>
</template>

<style scoped>
.frame {
  width: 100%;
}
svg {
  display: block;
}
.road {
  fill: none;
  stroke: var(--rule);
  stroke-width: 5;
  stroke-linejoin: round;
}
.cost {
  fill: none;
  stroke: var(--loss);
  stroke-linecap: round;
  stroke-linejoin: round;
  opacity: 0.85;
}
.cost.here,
.bar.here {
  stroke: var(--ink);
}
.bar {
  fill: var(--loss);
}
.base {
  stroke: var(--quiet);
}
.code {
  font: 600 12px var(--sans);
  fill: var(--ink);
}
.code.idle {
  font-weight: 400;
  fill: var(--quiet);
}
.value {
  font: 11px var(--sans);
  fill: var(--ink);
}
.press {
  fill: transparent;
  cursor: pointer;
}
.press:focus-visible {
  outline: 2px solid var(--accent);
}
</style>
