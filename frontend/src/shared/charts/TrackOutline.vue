<script setup lang="ts">
import { computed, nextTick, onMounted, ref } from 'vue'
import { useWidth } from '@/shared/charts/width'
import type { Outline } from '@/shared/api/client'
import { fitting, path, pieces, Road, standing, type Point } from '@/shared/charts/track'
import type { StripCorner } from '@/shared/charts/LapStrip.vue'

/** A layout from above: the road with its corners, sectors and pit lane; the whole of it, or a stretch. */
const props = defineProps<{
  outline: Outline
  length: number
  corners: StripCorner[]
  sectors: { code: string; start_m: number }[]
  pit?: { entry_m: number; exit_m: number; side?: string | null } | null
  here?: string
  /** Only the road from here to there, in metres. */
  stretch?: [number, number]
  marks?: { at_m: number; sign: string; words: string }[]
  height: number
  label: string
}>()
const emit = defineEmits<{ pick: [key: string] }>()
const began = performance.now()
const frame = ref<HTMLElement>()
/** Nothing is drawn before it is known, so that a long road is drawn once. */
const width = useWidth(() => frame.value, 240, 0)
onMounted(async () => {
  width.value = Math.max(240, Math.round(frame.value?.clientWidth ?? 520))
  await nextTick()
  // Read by `./fleet bench`.
  performance.measure('outline', { start: began })
})

const EDGE = 30
const road = computed(() => new Road(props.outline, props.length))
const shown = computed(() => (props.stretch ? road.value.line(props.stretch[0], props.stretch[1]) : road.value.points))
const fit = computed(() =>
  fitting(shown.value, { left: EDGE, top: EDGE, width: width.value - 2 * EDGE, height: props.height - 2 * EDGE }),
)
const whole = computed(() => path(props.stretch ? shown.value : [...shown.value, shown.value[0]!], fit.value.to))
const inStretch = (metres: number) => {
  if (!props.stretch) return true
  const [from, to] = props.stretch
  const past = (((metres - from) % props.length) + props.length) % props.length
  return past <= (((to - from) % props.length) + props.length) % props.length
}
/** A place beside the road, so many pixels to the left of it. */
function beside(metres: number, pixels: number): Point {
  const [x, y] = fit.value.to(road.value.at(metres))
  const [dx, dy] = road.value.heading(metres)
  return [x - dy * pixels, y - dx * pixels]
}
/** Corners of one weight are one line: with hundreds of them a shape for each would take its time. */
const LEVELS = ['low', 'medium', 'high'] as const
const inside = computed(() => props.corners.filter((corner) => inStretch(corner.apex_m)))
const bend = (corner: StripCorner) =>
  pieces(corner.start_m, corner.end_m, props.length)
    .map(([from, to]) => path(road.value.line(from, to), fit.value.to))
    .join('')
const bends = computed(() =>
  LEVELS.map((level) => ({
    level,
    d: inside.value
      .filter((corner) => corner.level === level)
      .map(bend)
      .join(''),
  })),
)
const hereBend = computed(() => {
  const corner = inside.value.find((item) => item.key === props.here)
  return corner ? { level: corner.level, d: bend(corner) } : undefined
})
const apexes = computed(() =>
  inside.value.map((corner) => ({ corner, at: fit.value.to(road.value.at(corner.apex_m)) })),
)
const names = computed(() =>
  inside.value.map((corner) => {
    const [x, y] = beside(corner.apex_m, corner.direction === 'left' ? -17 : 17)
    return { key: corner.key, x, y: y + 4, text: corner.code, rank: corner.rank }
  }),
)
const NEAR = 26
function nearest(event: MouseEvent): StripCorner | undefined {
  const box = (event.currentTarget as SVGElement).getBoundingClientRect()
  const [x, y] = [event.clientX - box.left, event.clientY - box.top]
  let [best, far] = [undefined as StripCorner | undefined, NEAR]
  for (const { corner, at } of apexes.value) {
    const away = Math.hypot(at[0] - x, at[1] - y)
    if (away < far) [best, far] = [corner, away]
  }
  return best
}
const under = ref<StripCorner>()
function press(event: MouseEvent) {
  const corner = nearest(event)
  if (corner) emit('pick', corner.key)
}
const cuts = computed(() =>
  props.sectors
    .filter((sector) => inStretch(sector.start_m))
    .map((sector) => ({
      code: sector.code,
      from: beside(sector.start_m, -9),
      to: beside(sector.start_m, 9),
      text: beside(sector.start_m, 22),
    })),
)
const labels = computed(() => {
  const taken = cuts.value.map((cut) => ({ key: '', x: cut.text[0], y: cut.text[1] + 4, text: cut.code, rank: 0 }))
  const first = names.value.filter((item) => item.key === props.here)
  const others = names.value.filter((item) => item.key !== props.here).sort((a, b) => a.rank - b.rank)
  return standing([...taken, ...first, ...others], 13, 7.2).filter((item) => item.key)
})
const lane = computed(() => {
  if (!props.pit || !inStretch(props.pit.entry_m) || !inStretch(props.pit.exit_m)) return ''
  const sideways = ((props.pit.side === 'left' ? 1 : -1) * 11) / fit.value.scale
  return path(road.value.line(props.pit.entry_m, props.pit.exit_m, sideways), fit.value.to)
})
const arrow = computed(() => {
  const at = props.stretch ? props.stretch[0] : 0
  const [x, y] = fit.value.to(road.value.at(at))
  const [dx, dy] = road.value.heading(at)
  return { x, y, turn: (Math.atan2(-dy, dx) * 180) / Math.PI }
})
const signs = computed(() =>
  (props.marks ?? [])
    .filter((mark) => inStretch(mark.at_m))
    .map((mark) => ({ ...mark, at: fit.value.to(road.value.at(mark.at_m)) })),
)
</script>

<template>
  <div ref="frame" class="outline" :style="{ minHeight: `${height}px` }">
    <svg
      v-if="width"
      :width="width"
      :height="height"
      :viewBox="`0 0 ${width} ${height}`"
      role="img"
      :aria-label="label"
      :class="{ near: under }"
      @click="press"
      @mousemove="under = nearest($event)"
      @mouseleave="under = undefined"
    >
      <title v-if="under">{{ [under.code, under.name].filter(Boolean).join(' ') }}</title>
      <path class="road" :d="whole" />
      <path class="inside" :d="whole" />
      <path v-if="lane" class="lane" :d="lane" />
      <path v-for="item in bends" :key="item.level" class="bend" :class="item.level" :d="item.d" />
      <path v-if="hereBend" class="bend here" :class="hereBend.level" :d="hereBend.d" />
      <text
        v-for="item in labels"
        :key="item.key"
        class="name"
        :class="{ here: item.key === here }"
        :x="item.x"
        :y="item.y"
        text-anchor="middle"
      >
        {{ item.text }}
      </text>
      <g v-for="cut in cuts" :key="cut.code" class="sector">
        <line :x1="cut.from[0]" :y1="cut.from[1]" :x2="cut.to[0]" :y2="cut.to[1]" />
        <text :x="cut.text[0]" :y="cut.text[1] + 4" text-anchor="middle">{{ cut.code }}</text>
      </g>
      <path class="way" d="M4 -5L15 0L4 5Z" :transform="`translate(${arrow.x} ${arrow.y}) rotate(${arrow.turn})`" />
      <g v-for="(mark, index) in signs" :key="index" class="sign">
        <title>{{ mark.words }}</title>
        <text :x="mark.at[0]" :y="mark.at[1] + 5" text-anchor="middle">{{ mark.sign }}</text>
      </g>
    </svg>
  </div>
</template>

<style scoped>
svg {
  display: block;
  font-size: 12.5px;
}
path {
  fill: none;
  stroke-linejoin: round;
  stroke-linecap: round;
}
.road {
  stroke: var(--ink);
  stroke-width: 6;
}
.inside {
  stroke: var(--sheet);
  stroke-width: 3.2;
}
.lane {
  stroke: var(--ochre);
  stroke-width: 2;
  stroke-dasharray: 5 4;
}
.near {
  cursor: pointer;
}
.bend {
  stroke: var(--accent);
  stroke-width: 3.6;
}
.bend.high {
  stroke-width: 9;
}
.bend.medium {
  stroke-width: 6.4;
}
.bend.here {
  stroke: var(--ochre);
}
text {
  fill: var(--ink);
  paint-order: stroke;
  stroke: var(--sheet);
  stroke-width: 3.5px;
}
.name.here {
  font-weight: 700;
}
.sector line {
  stroke: var(--ink);
  stroke-width: 1.6;
}
.sector text {
  fill: var(--quiet);
  font-size: 11.5px;
}
.way {
  fill: var(--ink);
}
.sign text {
  font-size: 15px;
}
</style>
