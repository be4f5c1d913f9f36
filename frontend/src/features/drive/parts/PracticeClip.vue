<script setup lang="ts">
import { computed, onBeforeUnmount, ref } from 'vue'
import type { Clip } from '@/shared/api/client'
import { lapTime } from '@/shared/format'

/** Somebody's screen, simulated: a car that comes up to lines, and a clock. Nothing tells beforehand when it crosses. */
const props = defineProps<{ clip: Clip }>()
const emit = defineEmits<{ began: [at: number]; ended: [] }>()
const playing = ref(false)
const at = ref(0)
let begun = 0
let frame = 0
const end = computed(() => (props.clip.crossings[props.clip.crossings.length - 1]?.at_us ?? 0) + 1_500_000)
function tick() {
  at.value = (performance.now() - begun) * 1000
  if (at.value < end.value) frame = requestAnimationFrame(tick)
  else {
    playing.value = false
    emit('ended')
  }
}
function play() {
  begun = performance.now()
  playing.value = true
  emit('began', begun)
  frame = requestAnimationFrame(tick)
}
onBeforeUnmount(() => cancelAnimationFrame(frame))
defineExpose({ play })
/** Where the car is on the lap: even speed between two lines. */
const position = computed(() => {
  const { crossings, lines_m: lines, length_m: length } = props.clip
  const next = crossings.findIndex((item) => item.at_us > at.value)
  if (next === 0) {
    const first = crossings[0]!
    return Math.max(0, 1 - (first.at_us - at.value) / 13_000_000)
  }
  if (next < 0) return Math.min(1, (at.value - (crossings[crossings.length - 1]?.at_us ?? 0)) / 13_000_000)
  const from = crossings[next - 1]!
  const to = crossings[next]!
  const start = lines[from.line]!
  const stop = to.line === 0 ? length : lines[to.line]!
  return (start + ((stop - start) * (at.value - from.at_us)) / (to.at_us - from.at_us)) / length
})
const lap = computed(() => props.clip.crossings.filter((item) => item.line === 0 && item.at_us <= at.value).length)
</script>

<template>
  <div class="clip" role="img" :aria-label="playing ? `The clip runs, lap ${lap}` : 'The clip'">
    <div class="road">
      <span
        v-for="(line, index) in clip.lines_m"
        :key="index"
        class="line"
        :style="{ left: `${(100 * line) / clip.length_m}%` }"
        ><span>{{ index ? `S${index + 1}` : 'line' }}</span></span
      >
      <span class="line last"><span>line</span></span>
      <span v-if="playing" class="car" :style="{ left: `${100 * position}%` }" />
    </div>
    <span class="time clock">{{ lapTime(Math.max(0, at), 1) }}</span>
    <span class="quiet">lap {{ Math.max(1, lap) }}</span>
  </div>
</template>

<style scoped>
.clip {
  display: flex;
  align-items: center;
  gap: 16px;
  margin: 22px 0 8px;
}
.road {
  position: relative;
  flex: 1 1 auto;
  height: 20px;
  border-bottom: 2px solid var(--ink);
  margin: 0 10px;
}
.line {
  position: absolute;
  top: -2px;
  bottom: -7px;
  border-left: 2px solid var(--accent);
}
.line > span {
  position: absolute;
  top: -18px;
  left: -12px;
  font-size: 0.78rem;
  color: var(--quiet);
}
.line.last {
  left: 100%;
}
.car {
  position: absolute;
  bottom: -1px;
  width: 16px;
  height: 10px;
  margin-left: -16px;
  background: var(--loss);
  clip-path: polygon(0 30%, 70% 30%, 100% 100%, 0 100%);
}
.clock {
  font-size: 1.3rem;
  min-width: 4em;
  text-align: right;
}
</style>
