<script setup lang="ts">
import { computed, nextTick, ref, useId, watch } from 'vue'
import type { Strip, StripLap } from '@/shared/api/client'
import { useGradually } from '@/shared/charts/gradually'
import { cellWords, MARK_LETTERS, nextCostly, runSpans, startsRun, STEP_WORDS } from '@/shared/charts/strip'
import StripRow from '@/shared/charts/StripRow.vue'
import { lapTime, moment, temperature } from '@/shared/format'

const PAGE = 160
const props = defineProps<{
  strip: Strip
  names: Record<string, string | null>
  markWords: Record<string, { name: string; meaning: string }>
}>()
const place = defineModel<{ lap: number; part: number }>({ required: true })
const hovered = ref<{ lap: number; part: number } | null>(null)
const id = useId()
const frame = ref<HTMLElement>()

const drawn = useGradually(() => props.strip.parts.length, 2)
const page = computed(() => Math.floor(place.value.lap / PAGE))
const first = computed(() => page.value * PAGE)
const shown = computed(() => props.strip.laps.slice(first.value, first.value + PAGE))
const spans = computed(() => runSpans(shown.value))
const usedMarks = computed(() =>
  Object.keys(MARK_LETTERS).filter((mark) => props.strip.laps.some((lap) => mark in lap.marks)),
)
const worst = computed(() => Math.max(1, ...props.strip.parts.map((part) => part.mean_loss_us ?? 0)))

const markNames = (lap: StripLap) =>
  Object.entries(lap.marks).map(
    ([mark, inferred]) => `${props.markWords[mark]?.name ?? mark}${inferred ? ' (by rule)' : ''}`,
  )
const letters = (lap: StripLap) =>
  Object.keys(lap.marks)
    .map((mark) => MARK_LETTERS[mark] ?? '')
    .join('')

function lapWords(lap: StripLap): string {
  const marks = markNames(lap)
  return `Session ${lap.session}, run ${lap.run}, lap ${lap.lap}: ${lapTime(lap.time_us)}${marks.length ? `, ${marks.join(', ')}` : ', clean'}`
}
const readout = computed(() => {
  const at = hovered.value ?? place.value
  const lap = props.strip.laps[at.lap]
  const part = props.strip.parts[at.part]
  if (!lap || !part) return null
  return {
    lap,
    words: lapWords(lap),
    cell: cellWords(props.strip, props.names, lap, at.part),
    reference: part.reference_us,
    started: lap.started_at,
  }
})

function move(lap: number, part: number) {
  place.value = {
    lap: Math.min(Math.max(lap, 0), props.strip.laps.length - 1),
    part: Math.min(Math.max(part, 0), props.strip.parts.length - 1),
  }
}
function onKey(event: KeyboardEvent) {
  const { lap, part } = place.value
  const actions: Record<string, () => void> = {
    ArrowLeft: () => move(lap - 1, part),
    ArrowRight: () => move(lap + 1, part),
    ArrowUp: () => move(lap, part - 1),
    ArrowDown: () => move(lap, part + 1),
    Home: () => move(0, part),
    End: () => move(props.strip.laps.length - 1, part),
    n: () => {
      const next = nextCostly(props.strip, lap, part)
      if (next) place.value = next
    },
  }
  const action = actions[event.key]
  if (!action || event.ctrlKey || event.metaKey || event.altKey) return
  event.preventDefault()
  hovered.value = null
  action()
}
/** The cell under the pointer: one listener for the whole weave. */
function cellOf(event: Event): { lap: number; part: number } | null {
  const cell = (event.target as HTMLElement).closest<HTMLElement>('[data-lap]')
  return cell ? { lap: Number(cell.dataset.lap), part: Number(cell.dataset.part) } : null
}
function press(event: MouseEvent) {
  const at = cellOf(event)
  if (at) place.value = at
}
watch(place, async () => {
  await nextTick()
  frame.value?.querySelector('.here')?.scrollIntoView({ block: 'nearest', inline: 'nearest' })
})
</script>

<template>
  <div class="weave">
    <div class="readout" aria-live="polite">
      <template v-if="readout">
        <p>
          <b class="time">{{ readout.cell }}</b>
          <span v-if="readout.reference !== null" class="quiet time">
            · reference {{ lapTime(readout.reference) }}</span
          >
        </p>
        <p class="quiet time">
          {{ readout.words }}<template v-if="readout.started"> · {{ moment(readout.started) }}</template
          ><template v-if="readout.lap.track_temp_c !== null">
            · track {{ temperature(readout.lap.track_temp_c) }}</template
          ><template v-if="readout.lap.note"> · “{{ readout.lap.note }}”</template>
        </p>
      </template>
    </div>
    <div v-if="strip.laps.length > PAGE" class="pages">
      <v-btn size="small" variant="outlined" :disabled="page === 0" @click="move(first - PAGE, place.part)"
        >Earlier laps</v-btn
      >
      <span class="time">laps {{ first + 1 }} to {{ first + shown.length }} of {{ strip.laps.length }}</span>
      <v-btn
        size="small"
        variant="outlined"
        :disabled="first + PAGE >= strip.laps.length"
        @click="move(first + PAGE, place.part)"
        >Later laps</v-btn
      >
    </div>
    <div ref="frame" class="frame" :style="{ '--laps': shown.length }">
      <div class="row runs" aria-hidden="true">
        <span class="name" />
        <span
          v-for="span in spans"
          :key="span.start"
          class="run"
          :style="{ gridColumn: `${span.start + 2} / span ${span.length}` }"
          >{{ span.label }}</span
        >
        <span class="mean">mean loss, s</span>
      </div>
      <div
        role="grid"
        class="grid"
        tabindex="0"
        aria-label="Laps by parts of the lap: losses against the driver's reference. Arrow keys move."
        :aria-activedescendant="place.part < drawn ? `${id}-${place.lap}-${place.part}` : undefined"
        @keydown="onKey"
        @mousemove="hovered = cellOf($event)"
        @mouseleave="hovered = null"
        @click="press"
      >
        <div role="row" class="row laps">
          <span role="columnheader" class="name">lap</span>
          <span
            v-for="(lap, column) in shown"
            :key="first + column"
            role="columnheader"
            class="lap"
            :class="{ start: startsRun(shown, column), unclean: !lap.clean }"
            :title="lapWords(lap)"
          >
            <span class="visually-hidden">{{ lapWords(lap) }}</span>
            <span class="letters" aria-hidden="true">{{ letters(lap) }}</span>
          </span>
          <span role="columnheader" class="mean"><span class="visually-hidden">Mean loss</span></span>
        </div>
        <StripRow
          v-for="(part, row) in strip.parts.slice(0, drawn)"
          :id="id"
          :key="part.code"
          :strip="strip"
          :row="row"
          :first="first"
          :shown="shown"
          :names="names"
          :worst="worst"
          :here="place.part === row ? place.lap : -1"
        />
      </div>
    </div>
    <dl class="legend">
      <div v-for="(words, step) in STEP_WORDS" :key="step">
        <dt><i class="lost" :class="`s${step}`" /><i class="won" :class="`s${step}`" /></dt>
        <dd>{{ words }} s</dd>
      </div>
      <div>
        <dt class="pair"><i class="lost s2" /></dt>
        <dd>lost</dd>
      </div>
      <div>
        <dt class="pair"><i class="won s2" /></dt>
        <dd>won</dd>
      </div>
      <div>
        <dt class="idle"><i class="lost s2" /></dt>
        <dd>no evidence</dd>
      </div>
      <div v-for="mark in usedMarks" :key="mark">
        <dt class="letter">{{ MARK_LETTERS[mark] }}</dt>
        <dd :title="markWords[mark]?.meaning">{{ markWords[mark]?.name }}</dd>
      </div>
    </dl>
  </div>
</template>

<style src="@/shared/charts/woven-strip.css"></style>
