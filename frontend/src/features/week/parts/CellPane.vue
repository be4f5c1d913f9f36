<script setup lang="ts">
import { computed, useId } from 'vue'
import { RouterLink } from 'vue-router'
import type { Board, BoardCell, BoardColumn, BoardDriver } from '@/shared/api/client'
import { count, gap, inWords, lapTime, moment, perCent } from '@/shared/format'
import { useLessonsOfWeek } from '@/features/log/log'
import { differenceWords, IMPORTANCE } from '@/shared/words'

const props = defineProps<{
  board: Board
  driver: BoardDriver
  column: BoardColumn
  cell: BoardCell
  mayChange: boolean
  own?: boolean
}>()
const emit = defineEmits<{ open: []; enter: [] }>()
const title = useId()
const back = useLessonsOfWeek(() => props.column.week_id)
/** What comes back in the week, for everybody or for this driver. */
const learned = computed(() =>
  (back.data.value?.items ?? []).filter((item) => !item.driver_id || item.driver_id === props.driver.id),
)
const laps = computed(() =>
  props.cell.combination_id && props.cell.laps
    ? {
        name: 'combination',
        params: { id: props.cell.combination_id },
        query: { driver: props.driver.id, week: props.column.week_id },
      }
    : undefined,
)
const earlier = computed(() => {
  const { same, track, car } = props.cell.earlier
  return [
    same && `${count(same, 'lap')} in this car here`,
    track && `${count(track, 'lap')} on this track otherwise`,
    car && `${count(car, 'lap')} in this car elsewhere`,
  ]
    .filter(Boolean)
    .join(', ')
})
const trend = computed(() => {
  const item = props.cell.trend
  if (!item?.laps) return 'no laps since yesterday'
  const gained = item.gained_us === null ? 'all of them' : item.gained_us ? `best ${gap(-item.gained_us)}` : 'no faster'
  return `${count(item.laps, 'lap')} since yesterday, ${gained}`
})
/** How the practice stands that was planned. */
const practice = computed(() => {
  const item = props.cell.practice
  if (!item) return ''
  const parts = [
    item.done && `${item.done} done`,
    item.missed && `${item.missed} missed or cut short`,
    item.coming && `${item.coming} to come`,
  ]
    .filter(Boolean)
    .join(', ')
  return `Practice planned: ${parts}${item.next_at ? `; next ${moment(item.next_at)}` : ''}.`
})
const rows = computed(() => {
  const cell = props.cell
  return [
    [
      'To the target',
      cell.gap_us === null ? '–' : `${gap(cell.gap_us)} s`,
      cell.target_us === null ? 'no target yet' : `of ${lapTime(cell.target_us)}`,
    ],
    [
      'Best lap',
      lapTime(cell.best_us),
      [cell.wetness, cell.compound && `${cell.compound} tyres`].filter(Boolean).join(', '),
    ],
    ['Linked ideal', lapTime(cell.ideal_us), 'joined from own laps'],
    [
      'Clean laps',
      `${cell.clean}`,
      cell.clean_rate === null ? `of ${cell.laps}` : `${perCent(cell.clean_rate)} of those that count`,
    ],
    [
      'Spread',
      cell.spread_pct === null ? '–' : `${cell.spread_pct.toFixed(2)} %`,
      cell.sure ? `this is ${cell.sure}` : '',
    ],
    ['Trend', '', trend.value],
  ] as const
})
</script>

<template>
  <aside class="sheet pane" :aria-labelledby="title">
    <h2 :id="title">{{ own ? column.series : driver.name }}</h2>
    <p class="quiet">
      {{ column.place }}<template v-if="own"> · {{ column.cars.map((car) => car.name).join(' or ') }}</template>
    </p>
    <p v-if="!cell.right" class="quiet" role="status">The figures are being worked out anew.</p>
    <div class="buttons">
      <v-btn v-if="cell.entry && (mayChange || own)" size="small" color="primary" @click="emit('open')">{{
        own ? 'Choose your starts' : 'Starts and entry'
      }}</v-btn>
      <v-btn v-else-if="mayChange" size="small" color="primary" @click="emit('enter')">Enter</v-btn>
      <v-btn v-if="laps" size="small" variant="outlined" color="primary" :to="laps">Laps</v-btn>
      <v-btn
        v-else-if="cell.combination_id"
        size="small"
        variant="outlined"
        color="primary"
        :to="{ name: 'add-laps', params: { id: cell.combination_id } }"
        >Add laps</v-btn
      >
    </div>
    <ul v-if="cell.entry?.clashes.length" class="warn">
      <li v-for="clash in cell.entry.clashes" :key="`${clash.start} ${clash.kind}`">
        <template v-if="clash.start">{{ moment(clash.start) }}: </template>{{ clash.words }}
      </li>
    </ul>
    <dl v-if="cell.laps">
      <template v-for="[name, value, more] in rows" :key="name">
        <dt>{{ name }}</dt>
        <dd>
          <RouterLink v-if="laps && value && value !== '–'" :to="laps" class="time">{{ value }}</RouterLink><span
            v-else-if="value"
            class="time"
            >{{ value }}</span
          >
          <span class="quiet">{{ more }}</span>
        </dd>
      </template>
    </dl>
    <p v-else class="none">No laps for this week yet.</p>
    <p v-if="cell.differences.some((item) => item.matters)" class="warn">
      Practised {{ differenceWords(cell.differences.filter((item) => item.matters)) }}.
    </p>
    <p v-if="practice">{{ practice }} <RouterLink :to="{ name: 'plan' }">Plan</RouterLink></p>
    <p v-if="learned.length">
      <b>Learned before:</b> {{ learned[0]!.text }}
      <template v-if="learned.length > 1"
        ><RouterLink :to="{ name: 'series-week', params: { id: column.week_id } }"
          >{{ learned.length - 1 }} more</RouterLink
        ></template
      >
    </p>
    <p v-if="earlier" class="earlier">
      <b>Earlier:</b> {{ earlier }}.
      <RouterLink
        :to="{ name: 'series-week', params: { id: column.week_id }, query: { driver: driver.id }, hash: '#known' }"
        >What do we know?</RouterLink
      >
    </p>
    <template v-if="cell.entry">
      <p>
        {{ IMPORTANCE[cell.entry.importance].sign }} {{ own ? 'You are entered' : 'Entered' }}:
        {{ IMPORTANCE[cell.entry.importance].words
        }}<template v-if="cell.next_start"
          >; next start {{ moment(cell.next_start) }} ({{ inWords(cell.next_start, board.now) }})</template
        ><template v-else>; no start to come</template>
      </p>
      <p v-if="cell.entry.note" class="note-text">“{{ cell.entry.note }}”</p>
    </template>
    <p v-else class="quiet">Not entered.</p>
  </aside>
</template>

<style scoped>
.pane {
  padding: 9px 14px 12px;
  font-size: 0.94rem;
}
.buttons {
  margin-top: 6px;
}
dl {
  display: grid;
  grid-template-columns: max-content 1fr;
  gap: 1px 12px;
  margin: 6px 0;
}
dt {
  color: var(--quiet);
}
dd {
  display: flex;
  flex-wrap: wrap;
  gap: 0 8px;
}
dd .quiet {
  font-size: 0.9em;
}
.none {
  margin: 8px 0;
}
p {
  margin-top: 3px;
}
ul {
  padding-left: 16px;
}
.warn {
  color: var(--ochre);
}
.note-text {
  white-space: pre-wrap;
}
</style>
