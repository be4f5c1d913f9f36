<script setup lang="ts">
import { computed, ref, toRaw } from 'vue'
import { useWidth } from '@/shared/charts/width'
import type { Overlay } from '@/shared/api/client'
import type { StripCorner } from '@/shared/charts/LapStrip.vue'
import { figures, inkOf, linePath, pen, span, valueAt } from '@/shared/charts/traces'
import { roundStep } from '@/shared/charts/track'
import { gap } from '@/shared/format'

/**
 * Laps over each other on the lap strip: the strip is the ground, corners bend up to the left and down to the right, and along its line runs a band
 * as thick as the time that the chosen lap has lost (above) or won (below) so far against the first.
 */
const props = defineProps<{
  overlay: Overlay | undefined
  length: number
  corners: StripCorner[]
  from: number
  to: number
  /** Where values are read. */
  at: number
  /** Which lap the band is of. */
  chosen: number
  label: string
  told: string
}>()
const emit = defineEmits<{ at: [metres: number]; stretch: [from: number, to: number] }>()
const HEIGHT = 430
const TOP = 26
const BOTTOM = 26
const SIDE = 12
const MIDDLE = TOP + (HEIGHT - TOP - BOTTOM) / 2
const RISE = { high: 128, medium: 92, low: 58 } as const
const BAND = 62
const frame = ref<SVGSVGElement>()
const width = useWidth(() => frame.value?.parentElement, 280, 1200)
const x = (metres: number) => SIDE + ((metres - props.from) / (props.to - props.from)) * (width.value - 2 * SIDE)
const metresAt = (pixels: number) => props.from + ((pixels - SIDE) / (width.value - 2 * SIDE)) * (props.to - props.from)

/** Thousands of points: read past the watching of each. */
const laps = computed(() => toRaw(props.overlay)?.laps ?? [])
const range = computed(() => span(laps.value))
const y = (value: number) =>
  HEIGHT - BOTTOM - ((value - range.value[0]) / (range.value[1] - range.value[0])) * (HEIGHT - TOP - BOTTOM)
const lines = computed(() =>
  laps.value.map((lap, index) => ({
    key: lap.key,
    d: linePath(lap.distance_m, lap.values, x, y),
    figures: figures(index, SIDE, width.value - SIDE, (pixels) => {
      const value = valueAt(lap.distance_m, lap.values, metresAt(pixels))
      return value === null ? null : y(value)
    }),
    pen: pen(index),
    ink: inkOf(index),
  })),
)
const bends = computed(() =>
  props.corners
    .filter((corner) => corner.end_m >= props.from && corner.start_m <= props.to && corner.end_m > corner.start_m)
    .map((corner) => {
      const by = corner.direction === 'right' ? RISE[corner.level] : -RISE[corner.level]
      const [x0, xa, x1] = [x(corner.start_m), x(corner.apex_m), x(corner.end_m)]
      return {
        key: corner.key,
        code: corner.code,
        name: corner.name,
        x: xa,
        d: `M${x0.toFixed(1)} ${MIDDLE}Q${((x0 + xa) / 2).toFixed(1)} ${MIDDLE + by} ${xa.toFixed(1)} ${MIDDLE + by}Q${((x1 + xa) / 2).toFixed(1)} ${MIDDLE + by} ${x1.toFixed(1)} ${MIDDLE}Z`,
      }
    }),
)
/** Names where they fit beside each other, codes where those do, nothing where even they don't. */
const LETTER = 6.6
const titles = computed(() => {
  let right = -Infinity
  return bends.value.map((bend, index) => {
    const next = bends.value[index + 1]?.x ?? Infinity
    const room = 2 * Math.min(bend.x - right, next - bend.x - bend.code.length * LETTER) - 8
    const whole = [bend.code, bend.name].filter(Boolean).join(' ')
    const text = whole.length * LETTER <= room ? whole : bend.code.length * LETTER <= room ? bend.code : ''
    if (text) right = bend.x + (text.length * LETTER) / 2
    return { key: bend.key, x: bend.x, text }
  })
})

/** The band: a hundredth of a second must show, a whole one must fit. */
const most = computed(() =>
  Math.max(0.1, ...(laps.value[props.chosen]?.behind_s ?? []).map((value) => Math.abs(value ?? 0))),
)
const band = computed(() => {
  const lap = laps.value[props.chosen]
  const places = toRaw(props.overlay)?.places_m ?? []
  if (!lap || !props.chosen) return { lost: '', won: '' }
  const made = { lost: '', won: '' }
  for (const sign of [1, -1]) {
    let d = ''
    let open = false
    let last = 0
    places.forEach((place, index) => {
      const value = lap.behind_s[index]
      const there = value !== null && value !== undefined
      if (there) {
        const high = MIDDLE - sign * Math.max(0, (sign * value) / most.value) * BAND
        d += open
          ? `L${x(place).toFixed(1)} ${high.toFixed(1)}`
          : `M${x(place).toFixed(1)} ${MIDDLE}L${x(place).toFixed(1)} ${high.toFixed(1)}`
        open = true
        last = x(place)
      } else if (open) {
        d += `L${last.toFixed(1)} ${MIDDLE}Z`
        open = false
      }
    })
    made[sign > 0 ? 'lost' : 'won'] = open ? `${d}L${last.toFixed(1)} ${MIDDLE}Z` : d
  }
  return made
})
const holes = computed(() =>
  laps.value.flatMap((lap, index) =>
    lap.stretches
      .filter((item) => !(item.channels as string[]).length)
      .map((item) => ({
        index,
        from: Math.max(item.start_m as number, props.from),
        to: Math.min(item.end_m as number, props.to),
      })),
  ),
)
const ticks = computed(() => {
  const step = roundStep(props.to - props.from, width.value / 110)
  const first = Math.ceil(props.from / step) * step
  return Array.from(
    { length: Math.max(0, Math.floor((props.to - first) / step) + 1) },
    (_, index) => first + index * step,
  )
})
const steps = computed(() => {
  // While laps are still coming there is nothing that a scale could be of.
  if (!laps.value.length) return []
  const step = roundStep(range.value[1] - range.value[0], 5)
  const first = Math.ceil(range.value[0] / step) * step
  return Array.from(
    { length: Math.max(0, Math.floor((range.value[1] - first) / step) + 1) },
    (_, index) => first + index * step,
  )
})

/** Look nearer or from further away, round a place that stays where it is. */
function zoom(by: number, round = props.at) {
  const wide = Math.min(props.length, Math.max(20, (props.to - props.from) * by))
  const share = (round - props.from) / (props.to - props.from)
  move(round - share * wide, wide)
}
function move(from: number, wide = props.to - props.from) {
  const begin = Math.min(Math.max(0, from), props.length - wide)
  emit('stretch', begin, begin + wide)
}
const keep = (metres: number) => {
  const place = Math.min(Math.max(metres, 0), props.length)
  emit('at', place)
  if (place < props.from || place > props.to) move(place - (props.to - props.from) / 2)
}
function jump(step: number) {
  const apexes = props.corners.map((corner) => corner.apex_m).sort((a, b) => a - b)
  const next =
    step > 0
      ? apexes.find((place) => place > props.at + 0.5)
      : [...apexes].reverse().find((place) => place < props.at - 0.5)
  if (next !== undefined) keep(next)
}
function onKey(event: KeyboardEvent) {
  const one = ((props.to - props.from) / (width.value - 2 * SIDE)) * (event.shiftKey ? 20 : 2)
  const does: Record<string, () => void> = {
    ArrowLeft: () => keep(props.at - one),
    ArrowRight: () => keep(props.at + one),
    Home: () => keep(props.from),
    End: () => keep(props.to),
    '+': () => zoom(0.6),
    '-': () => zoom(1 / 0.6),
    '0': () => emit('stretch', 0, props.length),
    '[': () => jump(-1),
    ']': () => jump(1),
    PageUp: () => move(props.from - (props.to - props.from) / 2),
    PageDown: () => move(props.from + (props.to - props.from) / 2),
  }
  if (!does[event.key] || event.ctrlKey || event.metaKey || event.altKey) return
  event.preventDefault()
  event.stopPropagation()
  does[event.key]!()
}
function onWheel(event: WheelEvent) {
  if (!event.ctrlKey && !event.shiftKey) return
  event.preventDefault()
  const left = frame.value!.getBoundingClientRect().left
  zoom(event.deltaY + event.deltaX > 0 ? 1.25 : 0.8, metresAt(event.clientX - left))
}
/** One finger or the mouse reads, or moves the stretch where the button is held; two fingers look nearer. */
const down = new Map<number, number>()
let held: { from: number; at: number } | undefined
function grab(event: PointerEvent) {
  down.set(event.pointerId, event.clientX)
  frame.value!.setPointerCapture(event.pointerId)
  held = { from: props.from, at: event.clientX }
}
function drag(event: PointerEvent) {
  const box = frame.value!.getBoundingClientRect()
  const before = [...down.values()]
  if (down.has(event.pointerId)) down.set(event.pointerId, event.clientX)
  const now = [...down.values()]
  if (down.size === 2) {
    const [was, is] = [Math.abs(before[0]! - before[1]!), Math.abs(now[0]! - now[1]!)]
    if (was > 4 && is > 4) zoom(was / is, metresAt((now[0]! + now[1]!) / 2 - box.left))
  } else if (down.size === 1 && held && props.to - props.from < props.length)
    move(held.from - ((event.clientX - held.at) / (width.value - 2 * SIDE)) * (props.to - props.from))
  else emit('at', Math.min(Math.max(metresAt(event.clientX - box.left), props.from), props.to))
}
function release(event: PointerEvent) {
  if (held && Math.abs(event.clientX - held.at) < 4)
    emit('at', metresAt(event.clientX - frame.value!.getBoundingClientRect().left))
  down.delete(event.pointerId)
  held = undefined
}
defineExpose({ zoom, jump })
</script>

<template>
  <div class="frame">
    <svg
      ref="frame"
      :width="width"
      :height="HEIGHT"
      :viewBox="`0 0 ${width} ${HEIGHT}`"
      role="slider"
      tabindex="0"
      :aria-label="label"
      aria-valuemin="0"
      :aria-valuemax="Math.round(length)"
      :aria-valuenow="Math.round(at)"
      :aria-valuetext="told"
      @keydown="onKey"
      @wheel="onWheel"
      @pointerdown="grab"
      @pointermove="drag"
      @pointerup="release"
      @pointercancel="release"
    >
      <defs>
        <pattern id="trace-lost" width="6" height="6" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
          <rect width="6" height="6" class="lost-ground" />
          <line y2="6" class="lost-line" />
        </pattern>
      </defs>
      <g aria-hidden="true">
        <g class="bends">
          <path v-for="bend in bends" :key="bend.key" :d="bend.d" />
          <text v-for="title in titles" :key="title.key" :x="title.x" y="15" text-anchor="middle">
            {{ title.text }}
          </text>
        </g>
        <g class="scale">
          <template v-for="value in steps" :key="`y${value}`">
            <line :x1="SIDE" :x2="width - SIDE" :y1="y(value)" :y2="y(value)" />
            <text :x="SIDE + 2" :y="y(value) - 3">{{ Number(value.toFixed(2)) }}</text>
          </template>
          <template v-for="metres in ticks" :key="`x${metres}`">
            <line class="tick" :x1="x(metres)" :x2="x(metres)" :y1="HEIGHT - BOTTOM" :y2="HEIGHT - BOTTOM + 5" />
            <text
              v-if="x(metres) < width - 40"
              :x="x(metres)"
              :y="HEIGHT - 7"
              :text-anchor="x(metres) < 30 ? 'start' : 'middle'"
            >
              {{ Math.round(metres) }} m
            </text>
          </template>
        </g>
        <rect
          v-for="(hole, index) in holes"
          :key="`hole${index}`"
          class="hole"
          :x="x(hole.from)"
          :width="Math.max(2, x(hole.to) - x(hole.from))"
          :y="TOP"
          :height="HEIGHT - TOP - BOTTOM"
        />
        <line class="base" :x1="SIDE" :x2="width - SIDE" :y1="MIDDLE" :y2="MIDDLE" />
        <path class="lost" :d="band.lost" />
        <path class="won" :d="band.won" />
        <text v-if="!laps.length" class="bandscale" :x="width - SIDE" :y="HEIGHT - BOTTOM - 6" text-anchor="end">
          reading the traces …
        </text>
        <text
          v-if="chosen && laps[chosen]"
          class="bandscale"
          :x="width - SIDE"
          :y="HEIGHT - BOTTOM - 6"
          text-anchor="end"
        >
          band: up to {{ gap(most * 1e6).replace(/^[+−]/, '') }} s behind above, ahead below
        </text>
        <g v-for="line in lines" :key="line.key" :stroke="line.ink" :stroke-width="line.pen.width">
          <path class="trace" :d="line.d" />
          <path v-if="line.figures" class="figures" :d="line.figures" />
        </g>
        <line class="at" :x1="x(at)" :x2="x(at)" :y1="TOP - 4" :y2="HEIGHT - BOTTOM" />
      </g>
    </svg>
  </div>
</template>

<style scoped>
.frame {
  overflow: hidden;
}
svg {
  display: block;
  font-size: 12px;
  touch-action: pan-y;
  cursor: crosshair;
  outline-offset: -2px;
}
.bends path {
  fill: color-mix(in srgb, var(--accent) 13%, var(--sheet));
}
.bends text {
  fill: var(--ink);
}
.scale line {
  stroke: var(--rule);
  stroke-dasharray: 1 4;
}
.scale .tick {
  stroke: var(--quiet);
  stroke-dasharray: none;
}
.scale text,
.bandscale {
  fill: var(--quiet);
  font-size: 11.5px;
  paint-order: stroke;
  stroke: var(--sheet);
  stroke-width: 3px;
}
.base {
  stroke: var(--ink);
  stroke-width: 1;
}
.lost {
  fill: url(#trace-lost);
}
.lost-ground {
  fill: color-mix(in srgb, var(--loss) 30%, var(--sheet));
}
.lost-line {
  stroke: var(--loss);
  stroke-width: 2;
}
.won {
  fill: color-mix(in srgb, var(--accent) 48%, var(--sheet));
}
.hole {
  fill: color-mix(in srgb, var(--ochre) 22%, transparent);
}
.trace {
  fill: none;
  stroke-linejoin: round;
}
.figures {
  fill: var(--sheet);
  stroke-width: 1.5;
}
.at {
  stroke: var(--ochre);
  stroke-width: 1.6;
}
</style>
