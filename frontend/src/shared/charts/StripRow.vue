<script setup lang="ts">
import type { Strip, StripLap } from '@/shared/api/client'
import { cellWords, partTitle, startsRun, swelling } from '@/shared/charts/strip'
import { gap } from '@/shared/format'

/** One part of the lap through all laps shown: a thread of its own, so that moving about draws only the rows that it touches. */
defineProps<{
  id: string
  strip: Strip
  row: number
  first: number
  shown: StripLap[]
  names: Record<string, string | null>
  /** The largest mean loss of any part, for the length of the bars. */
  worst: number
  /** The lap that is chosen in this row; -1 where it is another row. */
  here: number
}>()
</script>

<template>
  <div role="row" class="row">
    <span role="rowheader" class="name" :title="partTitle(names, strip.parts[row]!.code)">
      <b>{{ strip.parts[row]!.code }}</b> {{ names[strip.parts[row]!.code] ?? '' }}
    </span>
    <span
      v-for="(lap, column) in shown"
      :id="`${id}-${first + column}-${row}`"
      :key="first + column"
      role="gridcell"
      class="cell"
      :class="[
        (row + column) % 2 ? 'over' : 'under',
        {
          start: startsRun(shown, column),
          here: here === first + column,
          none: lap.losses_us[row] === null || lap.losses_us[row] === undefined,
          idle: !lap.passes[row],
        },
      ]"
      :data-lap="first + column"
      :data-part="row"
      :aria-label="cellWords(strip, names, lap, row)"
      :aria-selected="here === first + column"
    >
      <i
        v-if="lap.losses_us[row] !== null && lap.losses_us[row] !== undefined"
        :class="[(lap.losses_us[row] ?? 0) > 0 ? 'lost' : 'won', `s${swelling(lap.losses_us[row] ?? 0)}`]"
      />
    </span>
    <span role="gridcell" class="mean">
      <span class="time">{{ gap(strip.parts[row]!.mean_loss_us) }}</span>
      <span
        class="bar"
        aria-hidden="true"
        :style="{ width: `${Math.max(0, (44 * (strip.parts[row]!.mean_loss_us ?? 0)) / worst)}px` }"
      />
    </span>
  </div>
</template>
