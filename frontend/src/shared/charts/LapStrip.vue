<script setup lang="ts">
import type { Level } from '@/shared/api/words'
import { computed, nextTick, ref, watch } from 'vue'
import { useWidth } from '@/shared/charts/width'
import { pieces, roundStep, standing } from '@/shared/charts/track'
import { length as lengthWords } from '@/shared/format'

/** The lap laid out straight, from left to right: corners bend up to the left and down to the right, the higher the more they matter. */
export interface StripCorner {
  key: string
  code: string
  name: string | null
  start_m: number
  apex_m: number
  end_m: number
  direction: string | null
  level: Level
  rank: number
}
const props = defineProps<{
  length: number
  corners: StripCorner[]
  sectors: { code: string; start_m: number }[]
  pit?: { entry_m: number; exit_m: number } | null
  here?: string
  marks?: { at_m: number; sign: string; words: string }[]
  /** Pixels that a corner gets at least; the strip is moved sideways where that is more than there is. */
  room?: number
  label: string
}>()
const emit = defineEmits<{ pick: [key: string]; over: [key: string | undefined] }>()
const HEIGHT = 104
const MIDDLE = 54
const SIDE = 14
const RISE = { high: 25, medium: 17, low: 10 } as const
const frame = ref<HTMLElement>()
const wide = useWidth(() => frame.value, 280, 1200)
const width = computed(() => Math.max(wide.value, props.corners.length * (props.room ?? 9)))
/** Marks between many corners would hide them. */
const roomy = computed(() => width.value / Math.max(1, props.corners.length) > 30)
watch(
  () => props.here,
  async (key) => {
    await nextTick()
    const corner = props.corners.find((item) => item.key === key)
    if (corner && frame.value) frame.value.scrollLeft = x(corner.apex_m) - frame.value.clientWidth / 2
  },
  { flush: 'post' },
)
const x = (metres: number) => SIDE + (metres / props.length) * (width.value - 2 * SIDE)
const shapes = computed(() =>
  props.corners.map((corner) => {
    const rise = RISE[corner.level]
    const up = corner.direction !== 'right'
    const down = corner.direction !== 'left'
    const bend = (from: number, to: number, apex: number, by: number) => {
      const [x0, x1] = [x(from), Math.max(x(to), x(from) + 3)]
      const top = Math.min(Math.max(x(apex), x0), x1)
      return `M${x0.toFixed(1)} ${MIDDLE}Q${((x0 + top) / 2).toFixed(1)} ${MIDDLE + by} ${top.toFixed(1)} ${MIDDLE + by}Q${((x1 + top) / 2).toFixed(1)} ${MIDDLE + by} ${x1.toFixed(1)} ${MIDDLE}Z`
    }
    const path = pieces(corner.start_m, corner.end_m, props.length)
      .map(([from, to]) => {
        const apex = corner.apex_m < from || corner.apex_m > to ? (from + to) / 2 : corner.apex_m
        return (up ? bend(from, to, apex, -rise) : '') + (down ? bend(from, to, apex, rise) : '')
      })
      .join('')
    return { ...corner, path, x: x(corner.apex_m), y: up ? MIDDLE - rise - 5 : MIDDLE + rise + 13, text: corner.code }
  }),
)
const labels = computed(() => {
  const first = shapes.value.filter((item) => item.key === props.here)
  const others = shapes.value.filter((item) => item.key !== props.here).sort((a, b) => a.rank - b.rank)
  return new Set(standing([...first, ...others], 11, 7).map((item) => item.key))
})
const ticks = computed(() => {
  const step = roundStep(props.length, width.value / 110)
  return Array.from({ length: Math.floor(props.length / step) + 1 }, (_, index) => index * step)
})
const stop = computed(() =>
  props.corners.some((item) => item.key === props.here) ? props.here : props.corners[0]?.key,
)
const titled = (corner: StripCorner) => [corner.code, corner.name].filter(Boolean).join(' ')
async function onKey(event: KeyboardEvent, index: number) {
  const to = { ArrowLeft: index - 1, ArrowRight: index + 1, Home: 0, End: props.corners.length - 1 }[event.key]
  if (event.key === 'Enter' || event.key === ' ') {
    event.preventDefault()
    emit('pick', props.corners[index]!.key)
  } else if (to !== undefined && props.corners[to]) {
    event.preventDefault()
    event.stopPropagation()
    await nextTick()
    frame.value?.querySelectorAll<SVGElement>('[data-corner]')[to]?.focus()
  }
}
</script>

<template>
  <div ref="frame" class="strip" role="region" :aria-label="label" tabindex="-1">
    <svg
      :width="width"
      :height="HEIGHT"
      :viewBox="`0 0 ${width} ${HEIGHT}`"
      aria-hidden="false"
      role="group"
      :aria-label="label"
    >
      <g class="scale" aria-hidden="true">
        <template v-for="metres in ticks" :key="metres">
          <line :x1="x(metres)" :x2="x(metres)" :y1="HEIGHT - 18" :y2="HEIGHT - 14" />
          <text v-if="x(metres) < width - 46" :x="x(metres)" :y="HEIGHT - 3" :text-anchor="metres ? 'middle' : 'start'">
            {{ metres ? lengthWords(metres).replace(/0+ /, ' ').replace(/\. /, ' ') : 'line' }}
          </text>
        </template>
      </g>
      <g class="sectors" aria-hidden="true">
        <template v-for="(sector, index) in sectors" :key="sector.code">
          <line v-if="index" :x1="x(sector.start_m)" :x2="x(sector.start_m)" y1="12" :y2="HEIGHT - 18" />
          <text :x="x(sector.start_m) + 4" y="11">{{ sector.code }}</text>
        </template>
      </g>
      <line class="base" :x1="SIDE" :x2="width - SIDE" :y1="MIDDLE" :y2="MIDDLE" aria-hidden="true" />
      <g
        v-for="(item, index) in shapes"
        :key="item.key"
        class="corner"
        :class="[item.level, { here: item.key === here }]"
        data-corner
        role="button"
        :tabindex="item.key === stop ? 0 : -1"
        :aria-label="titled(item)"
        :aria-current="item.key === here || undefined"
        @click="emit('pick', item.key)"
        @keydown="onKey($event, index)"
        @mouseenter="emit('over', item.key)"
        @mouseleave="emit('over', undefined)"
        @focus="emit('over', item.key)"
      >
        <title>{{ titled(item) }}</title>
        <path :d="item.path" />
        <text v-if="labels.has(item.key)" :x="item.x" :y="item.y" text-anchor="middle">{{ item.code }}</text>
      </g>
      <g v-if="pit" class="pit" aria-hidden="true">
        <path :d="`M${x(pit.entry_m)} ${MIDDLE + 3}l-5 12h10z`" />
        <path :d="`M${x(pit.exit_m)} ${MIDDLE + 15}l-5 -12h10z`" />
      </g>
      <g v-for="(mark, index) in roomy ? marks : []" :key="index" class="mark">
        <title>{{ mark.words }}</title>
        <text :x="x(mark.at_m)" :y="MIDDLE + 5" text-anchor="middle">{{ mark.sign }}</text>
      </g>
      <slot :x="x" :width="width" :middle="MIDDLE" :height="HEIGHT" />
    </svg>
  </div>
</template>

<style scoped>
.strip {
  overflow-x: auto;
  overflow-y: hidden;
}
svg {
  display: block;
  font-size: 12px;
}
.scale text,
.sectors text {
  fill: var(--quiet);
  font-size: 11.5px;
}
.scale line,
.sectors line {
  stroke: var(--quiet);
}
.sectors line {
  stroke-dasharray: 2 3;
}
.base {
  stroke: var(--ink);
  stroke-width: 2.5;
}
.corner {
  cursor: pointer;
  outline: none;
}
.corner path {
  stroke: var(--accent);
  stroke-width: 1.4;
}
.corner.high path {
  fill: var(--accent);
}
.corner.medium path {
  fill: color-mix(in srgb, var(--accent) 42%, var(--sheet));
}
.corner.low path {
  fill: var(--sheet);
}
.corner text {
  fill: var(--ink);
}
.corner.here path {
  stroke: var(--ink);
  stroke-width: 2.4;
}
.corner.here text,
.corner:focus-visible text {
  font-weight: 700;
}
.corner:focus-visible path {
  stroke: var(--ochre);
  stroke-width: 3;
}
.corner:hover path {
  stroke: var(--ink);
}
.pit path {
  fill: var(--ochre);
  stroke: var(--sheet);
}
.mark text {
  font-size: 13px;
  fill: var(--ink);
  paint-order: stroke;
  stroke: var(--sheet);
  stroke-width: 3px;
}
</style>
