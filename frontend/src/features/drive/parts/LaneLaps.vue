<script setup lang="ts">
import { computed } from 'vue'
import { lapTime } from '@/shared/format'
import type { Sent, ShownLane } from '@/features/drive/lanes'

/** The laps of a lane, the last one on top: what isn't kept yet, and what is. */
const props = defineProps<{ open: ShownLane; marked?: number; refusedAct: string }>()
const emit = defineEmits<{ refused: [item: Sent] }>()
const SHOWN = 10
const laps = computed(() => [...props.open.laps].sort((a, b) => b.number - a.number).slice(0, SHOWN))
const fastest = computed(() =>
  Math.min(...props.open.laps.filter((lap) => lap.kind === 'flying' && lap.valid).map((lap) => lap.time_us)),
)
const beside = (lap: ShownLane['laps'][number]) =>
  [
    lap.plus_minus_us === null ? '' : `± ${(lap.plus_minus_us / 1_000_000).toFixed(2)}`,
    lap.words,
    Object.entries(lap.sectors)
      .map(([code, time]) => `${code} ${lapTime(time)}`)
      .join(' '),
  ]
    .filter(Boolean)
    .join(' · ')
</script>

<template>
  <ol>
    <li v-for="item in [...open.waiting].reverse()" :key="`w${item.number}`">
      <span class="number">{{ item.number }}</span><span class="time">{{ item.words }}</span>
      <span v-if="item.trouble" role="alert" class="rust small"
        >{{ item.trouble }}
        <button type="button" class="link" @click="emit('refused', item)">{{ refusedAct }}</button></span
      >
      <span v-else class="quiet small">on its way</span>
    </li>
    <li v-for="lap in laps" :key="lap.number" :class="{ marked: marked === lap.number }">
      <span class="number quiet">{{ lap.number }}</span>
      <span class="time"
        ><b v-if="lap.time_us === fastest"
          >{{ lapTime(lap.time_us) }}<span class="visually-hidden"> the fastest</span></b
        ><template v-else>{{ lapTime(lap.time_us) }}</template></span
      >
      <span class="quiet small">{{ beside(lap) }}</span>
    </li>
  </ol>
</template>

<style scoped>
ol {
  list-style: none;
  padding: 0;
  min-height: 100px;
}
li {
  display: flex;
  align-items: baseline;
  gap: 10px;
  padding: 1px 0;
  border-bottom: 1px solid var(--rule);
}
.number {
  min-width: 1.6em;
  text-align: right;
  font-variant-numeric: tabular-nums;
}
.time {
  min-width: 5.2em;
  text-align: right;
  font-size: 1.05rem;
}
.marked {
  background: color-mix(in srgb, var(--ochre) 16%, transparent);
}
.small {
  font-size: 0.86rem;
}
</style>
