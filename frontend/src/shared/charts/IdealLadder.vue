<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import type { Rung, RungPart } from '@/shared/api/client'
import { gap, lapTime } from '@/shared/format'

const props = defineProps<{ rungs: Rung[]; driver: string }>()
const emit = defineEmits<{ lap: [part: RungPart] }>()
const opened = ref<string | null>(null)
watch(
  () => props.driver,
  () => (opened.value = null),
)

const times = computed(() => props.rungs.flatMap((rung) => (rung.time_us === null ? [] : [rung.time_us])))
const slowest = computed(() => Math.max(...times.value))
const span = computed(() => Math.max(1, slowest.value - Math.min(...times.value)))
/** Where a time lies between the slowest rung (0) and the fastest (100). */
const place = (time: number) => (100 * (slowest.value - time)) / span.value

interface Step {
  left: string
  width: string
  gains: boolean
}
/** The stretch between a rung and the one above it. */
const steps = computed<(Step | null)[]>(() => {
  let above: number | null = null
  return props.rungs.map((rung) => {
    if (rung.time_us === null) return null
    const from = place(above ?? rung.time_us)
    const to = place(rung.time_us)
    above = rung.time_us
    return { left: `${Math.min(from, to)}%`, width: `${Math.abs(to - from)}%`, gains: to >= from }
  })
})
const where = (part: RungPart) => `session ${part.session}, run ${part.run}, lap ${part.lap}`
</script>

<template>
  <ol class="ladder">
    <li v-for="(rung, index) in rungs" :key="rung.name">
      <button
        type="button"
        class="rung"
        :aria-expanded="opened === rung.name"
        :disabled="!rung.parts.length"
        @click="opened = opened === rung.name ? null : rung.name"
      >
        <span class="title" :title="rung.meaning">{{ rung.title }}</span>
        <span class="time number">{{ lapTime(rung.time_us) }}</span>
        <span class="time number step">{{ rung.step_us === null ? '' : gap(rung.step_us) }}</span>
        <span class="rails" aria-hidden="true">
          <span
            v-if="steps[index]"
            class="tread"
            :class="{ back: !steps[index]?.gains }"
            :style="{ left: steps[index]?.left, width: steps[index]?.width }"
          />
          <span v-if="rung.time_us !== null" class="peg" :style="{ left: `${place(rung.time_us)}%` }" />
        </span>
        <span class="words">{{ rung.step_words }}</span>
      </button>
      <div v-if="opened === rung.name" class="origin">
        <p class="quiet">{{ rung.meaning }}</p>
        <ul>
          <li v-for="part in rung.parts" :key="part.code">
            <button type="button" :disabled="!!part.driver && part.driver !== driver" @click="emit('lap', part)">
              <b>{{ part.code }}</b> <span class="time">{{ lapTime(part.time_us) }}</span>
              <span class="from">{{ part.driver ? `${part.driver}, ` : '' }}{{ where(part) }}</span>
            </button>
          </li>
        </ul>
      </div>
    </li>
  </ol>
</template>

<style scoped>
.ladder {
  list-style: none;
  padding: 4px 0;
}
.rung {
  display: grid;
  grid-template-columns: 180px 74px 62px minmax(90px, 1fr) minmax(200px, 1.1fr);
  column-gap: 10px;
  align-items: center;
  width: 100%;
  min-height: 27px;
  padding: 2px 12px;
  text-align: left;
}
.rung:hover:not(:disabled) {
  background: color-mix(in srgb, var(--accent) 9%, transparent);
}
.title {
  font-weight: 600;
  white-space: nowrap;
}
.title::before {
  content: '+';
  display: inline-block;
  width: 0.9em;
  color: var(--accent);
}
.rung[aria-expanded='true'] .title::before {
  content: '−';
}
.rung:disabled .title::before {
  content: '';
}
.number {
  text-align: right;
}
.step {
  color: var(--quiet);
}
.words {
  font-size: 0.92rem;
  color: var(--quiet);
  line-height: 1.2;
}
.rails {
  position: relative;
  align-self: stretch;
  margin-right: 8px;
  border-left: 1px solid var(--rule);
  border-right: 1px solid var(--rule);
}
.tread {
  position: absolute;
  top: 50%;
  height: 4px;
  margin-top: -2px;
  background: var(--accent);
}
.tread.back {
  background: repeating-linear-gradient(90deg, var(--loss) 0 4px, transparent 4px 7px);
}
.peg {
  position: absolute;
  top: 2px;
  bottom: 2px;
  width: 3px;
  margin-left: -1.5px;
  background: var(--ink);
}
.origin {
  padding: 4px 12px 10px 26px;
}
.origin ul {
  list-style: none;
  padding: 4px 0 0;
  display: flex;
  flex-wrap: wrap;
  gap: 3px 8px;
}
.origin button {
  padding: 1px 7px;
  border: 1px solid var(--rule);
  border-radius: 3px;
  font-size: 0.9rem;
}
.origin button:hover:not(:disabled) {
  border-color: var(--accent);
}
.from {
  margin-left: 0.4em;
  color: var(--quiet);
}
@media (max-width: 760px) {
  .rung {
    grid-template-columns: 1fr 74px 62px;
  }
  .words {
    grid-column: 1 / -1;
    padding-left: 0.95em;
  }
  .rails {
    display: none;
  }
}
</style>
