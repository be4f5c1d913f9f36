<script setup lang="ts">
import { computed, nextTick, ref } from 'vue'
import type { CornerDraft } from '@/features/track/boundaries'
import LapStrip, { type StripCorner } from '@/shared/charts/LapStrip.vue'
import { asTyped, readNumber } from '@/shared/format'

/** The lap strip on which one corner's boundaries are moved: dragged, or by the arrow keys. */
const corners = defineModel<CornerDraft[]>({ required: true })
const here = defineModel<number>('here', { required: true })
const props = defineProps<{
  drawn: StripCorner[]
  sectors: { code: string; start_m: number }[]
  length: number
  pit?: { entry_m: number; exit_m: number } | null
}>()

/** Which place of a corner is being moved. */
const PLACES = { start: 'braking begins', apex: 'apex', end: 'end' } as const
type Place = keyof typeof PLACES
const handles = computed(() => {
  const row = corners.value[here.value]
  if (!row) return []
  return (Object.keys(PLACES) as Place[]).map((place) => ({
    place,
    metres: readNumber(row[place]) ?? 0,
    words: `${row.code}: ${PLACES[place]}`,
  }))
})
function put(place: Place, metres: number) {
  const moved = asTyped(Math.round(Math.min(Math.max(metres, 0), props.length) * 10) / 10)
  corners.value = corners.value.map((row, index) => (index === here.value ? { ...row, [place]: moved } : row))
}
const STEPS: Record<string, number> = {
  ArrowLeft: -1,
  ArrowDown: -1,
  ArrowRight: 1,
  ArrowUp: 1,
  PageUp: 50,
  PageDown: -50,
}
function onKey(event: KeyboardEvent, place: Place, metres: number) {
  const step = STEPS[event.key]
  if (step === undefined) return
  event.preventDefault()
  event.stopPropagation()
  put(place, metres + step * (event.shiftKey ? 10 : 1))
}
const dragging = ref<Place>()
const box = ref<HTMLElement>()
function grab(event: PointerEvent, place: Place) {
  dragging.value = place
  ;(event.target as Element).setPointerCapture(event.pointerId)
}
function drag(event: PointerEvent, metresOf: (pixels: number) => number) {
  const svg = box.value?.querySelector('svg')
  if (dragging.value && svg) put(dragging.value, metresOf(event.clientX - svg.getBoundingClientRect().left))
}
const metresAt = (x: (metres: number) => number, length: number) => (pixels: number) =>
  ((pixels - x(0)) / (x(length) - x(0))) * length
async function pick(key: string) {
  here.value = Number(key)
  await nextTick()
  box.value?.querySelector<SVGElement>('[role=slider]')?.focus()
}
</script>

<template>
  <section ref="box" class="sheet strip" aria-label="Boundaries on the lap strip">
    <LapStrip
      :length="length"
      :corners="drawn"
      :sectors="sectors"
      :pit="pit"
      :here="String(here)"
      label="Lap strip: choose a corner, then move its boundaries"
      :room="46"
      @pick="pick"
    >
      <template #default="{ x, middle }">
        <g v-for="handle in handles" :key="handle.place" class="handle" :class="handle.place">
          <line :x1="x(handle.metres)" :x2="x(handle.metres)" :y1="middle - 32" :y2="middle + 32" />
          <circle
            :cx="x(handle.metres)"
            :cy="handle.place === 'apex' ? middle - 32 : middle + 32"
            r="7"
            role="slider"
            tabindex="0"
            :aria-label="handle.words"
            :aria-valuenow="handle.metres"
            :aria-valuetext="`${handle.metres} m`"
            aria-valuemin="0"
            :aria-valuemax="length"
            @keydown="onKey($event, handle.place, handle.metres)"
            @pointerdown="grab($event, handle.place)"
            @pointermove="drag($event, metresAt(x, length))"
            @pointerup="dragging = undefined"
          />
        </g>
      </template>
    </LapStrip>
  </section>
  <p class="quiet note">
    Choose a corner on the strip or in the table, then drag the three handles, or move them with the arrow keys: 1 m,
    with Shift 10 m. A segment runs from where one corner’s braking begins to where the next one’s does.
  </p>
</template>

<style scoped>
.strip {
  position: sticky;
  top: 0;
  z-index: 3;
  padding: 4px 6px 2px;
  margin-bottom: 4px;
}
.handle line {
  stroke: var(--ochre);
  stroke-width: 1.6;
}
.handle circle {
  fill: var(--sheet);
  stroke: var(--ochre);
  stroke-width: 3;
  cursor: ew-resize;
  touch-action: none;
}
.handle circle:focus-visible {
  fill: var(--ochre);
  outline: none;
}
</style>
