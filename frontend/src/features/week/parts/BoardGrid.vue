<script setup lang="ts">
import { computed, nextTick, ref, watch } from 'vue'
import { RouterLink } from 'vue-router'
import type { Board, BoardCell, BoardDriver } from '@/shared/api/client'
import { gap, inWords, lapTime, moment, temperature, timeOfDay } from '@/shared/format'
import { IMPORTANCE, raceWords } from '@/shared/words'

const props = defineProps<{ board: Board; drivers: BoardDriver[]; before: string | null; mayChange: boolean }>()
const place = defineModel<{ driver: string; week: string } | undefined>({ required: true })
const emit = defineEmits<{
  open: [driver: BoardDriver, column: number]
  enter: [driver: BoardDriver, column: number]
  remove: [driver: BoardDriver, column: number]
  move: [from: { driver: BoardDriver; column: number }, to: { driver: BoardDriver; column: number }]
}>()
const table = ref<HTMLTableElement>()
const said = ref('')
const picked = ref<{ driver: string; week: string }>()
const over = ref('')
const at = computed(() => ({
  row: Math.max(
    0,
    props.drivers.findIndex((driver) => driver.id === place.value?.driver),
  ),
  column: Math.max(
    0,
    props.board.columns.findIndex((column) => column.week_id === place.value?.week),
  ),
}))
watch(
  () => [props.drivers.length, props.board.columns.length],
  () => {
    if (props.drivers.length && props.board.columns.length) go(at.value.row, at.value.column, false)
  },
  { immediate: true },
)
function go(row: number, column: number, focus = true) {
  const driver = props.drivers[Math.min(Math.max(row, 0), props.drivers.length - 1)]
  const week = props.board.columns[Math.min(Math.max(column, 0), props.board.columns.length - 1)]
  if (!driver || !week) return
  place.value = { driver: driver.id, week: week.week_id }
  if (focus) void nextTick(() => table.value?.querySelector<HTMLElement>('td[tabindex="0"]')?.focus())
}
const cellAt = (row: number, column: number): BoardCell | undefined => props.drivers[row]?.cells[column]
function find(where: { driver: string; week: string }) {
  const driver = props.drivers.find((item) => item.id === where.driver)
  const column = props.board.columns.findIndex((item) => item.week_id === where.week)
  return driver && column >= 0 ? { driver, column } : undefined
}
function drop(driver: BoardDriver, column: number) {
  const from = picked.value && find(picked.value)
  picked.value = undefined
  over.value = ''
  if (!from) return
  if (from.driver.id === driver.id && from.column === column) said.value = 'Put back where it was.'
  else if (driver.cells[column]?.entry) said.value = `${driver.name} is entered there already.`
  else emit('move', from, { driver, column })
}
function act(row: number, column: number) {
  const driver = props.drivers[row]
  if (!driver) return
  if (picked.value) drop(driver, column)
  else if (driver.cells[column]?.entry) emit('open', driver, column)
  else if (props.mayChange) emit('enter', driver, column)
}
function onKey(event: KeyboardEvent) {
  if (event.ctrlKey || event.metaKey || event.altKey) return
  const { row, column } = at.value
  const steps: Record<string, [number, number]> = {
    ArrowUp: [row - 1, column],
    ArrowDown: [row + 1, column],
    ArrowLeft: [row, column - 1],
    ArrowRight: [row, column + 1],
    Home: [row, 0],
    End: [row, props.board.columns.length - 1],
  }
  const step = steps[event.key]
  const key = event.key.toLowerCase()
  if (step) go(...step)
  else if (key === 'enter' || key === ' ') act(row, column)
  else if (key === 'escape' && picked.value) {
    picked.value = undefined
    said.value = 'Put back where it was.'
  } else if (props.mayChange && key === 'm' && cellAt(row, column)?.entry) {
    picked.value = { driver: props.drivers[row]!.id, week: props.board.columns[column]!.week_id }
    said.value = `Picked up ${props.drivers[row]!.name}. Arrows choose a cell, Enter puts it there, Escape puts it back.`
  } else if (props.mayChange && (key === 'delete' || key === 'backspace') && cellAt(row, column)?.entry)
    emit('remove', props.drivers[row]!, column)
  else return
  event.preventDefault()
}
function dragStart(event: DragEvent, driver: BoardDriver, column: number) {
  if (!props.mayChange || !driver.cells[column]?.entry) return event.preventDefault()
  event.dataTransfer?.setData('text/plain', driver.name)
  picked.value = { driver: driver.id, week: props.board.columns[column]!.week_id }
}
const changed = (cell: BoardCell) =>
  !!props.before && !!cell.changed_at && new Date(cell.changed_at) > new Date(props.before)
const best = (cell: BoardCell) => (cell.best_us === null ? '' : lapTime(cell.best_us))
function spoken(cell: BoardCell): string {
  if (!cell.entry && !cell.laps) return 'not entered'
  return [
    cell.entry ? `entered, ${IMPORTANCE[cell.entry.importance].words}` : 'not entered',
    cell.gap_us !== null
      ? `${gap(cell.gap_us)} s to the target`
      : cell.best_us !== null
        ? `best lap ${best(cell)}`
        : 'no lap',
    ...cell.open.map((item) => item.words),
    changed(cell) ? 'changed since your last visit' : '',
  ]
    .filter(Boolean)
    .join(', ')
}
</script>

<template>
  <div class="scroll-x sheet" role="region" aria-label="Drivers by combinations" tabindex="-1">
    <table ref="table" role="grid" aria-label="Where each driver stands" class="ledger" @keydown="onKey">
      <thead>
        <tr role="row">
          <th scope="col" role="columnheader">Driver</th>
          <th
            v-for="column in board.columns"
            :key="column.week_id"
            scope="col"
            role="columnheader"
            :class="column.state"
          >
            <RouterLink :to="{ name: 'series-week', params: { id: column.week_id } }">{{
              column.place || 'Track not known'
            }}</RouterLink>
            <span class="line"
              >{{ column.series }} · {{ column.cars.map((car) => car.name).join(' or ') || 'car not known' }}</span
            >
            <span class="line">
              {{ raceWords(column)
              }}<template v-if="column.session_local"> · {{ timeOfDay(column.session_local) }}</template
              ><template v-if="column.wetness">&nbsp;{{ column.wetness }}</template
              ><template v-if="column.track_temp_c !== null">, {{ temperature(column.track_temp_c) }}</template> ·
              <b v-if="column.target_us !== null" class="time">target {{ lapTime(column.target_us) }}</b
              ><b v-else class="none">no target</b>
            </span>
          </th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="(driver, row) in drivers" :key="driver.id" role="row">
          <th scope="row" role="rowheader" :title="driver.nickname ?? undefined">{{ driver.name }}</th>
          <td
            v-for="(cell, column) in driver.cells"
            :key="cell.week_id"
            role="gridcell"
            :tabindex="at.row === row && at.column === column ? 0 : -1"
            :aria-selected="at.row === row && at.column === column"
            :class="{
              here: at.row === row && at.column === column,
              empty: !cell.entry,
              picked: picked?.driver === driver.id && picked.week === cell.week_id,
              over: over === driver.id + cell.week_id,
            }"
            :draggable="mayChange && !!cell.entry"
            @click="go(row, column)"
            @dblclick="act(row, column)"
            @focus="place = { driver: driver.id, week: cell.week_id }"
            @dragstart="dragStart($event, driver, column)"
            @dragend="picked = undefined"
            @dragover.prevent="over = driver.id + cell.week_id"
            @dragleave="over = ''"
            @drop.prevent="drop(driver, column)"
          >
            <span class="visually-hidden"
              >{{ driver.name }}, {{ board.columns[column]?.place }}: {{ spoken(cell) }}</span
            >
            <span class="cell" aria-hidden="true">
              <span class="sign">{{ cell.entry ? IMPORTANCE[cell.entry.importance].sign : '' }}</span>
              <span
                v-if="cell.gap_us !== null"
                class="time figure"
                :class="[cell.gap_us <= 0 ? 'gain' : 'loss', { old: !cell.right }]"
                >{{ gap(cell.gap_us) }}</span
              >
              <span v-else-if="cell.best_us !== null" class="time figure quiet" :class="{ old: !cell.right }">{{
                best(cell)
              }}</span>
              <span v-else class="figure quiet">{{ cell.entry ? '–' : '' }}</span>
              <span class="open"
                >{{ cell.open[0]?.words
                }}<template v-if="cell.open.length > 1"> +{{ cell.open.length - 1 }}</template></span
              >
              <span v-if="!cell.open.length && cell.next_start" class="quiet start" :title="moment(cell.next_start)">{{
                inWords(cell.next_start, board.now)
              }}</span>
              <span v-if="changed(cell)" class="changed" title="Changed since your last visit">◂</span>
            </span>
          </td>
        </tr>
      </tbody>
    </table>
    <p class="visually-hidden" role="status">{{ said }}</p>
  </div>
</template>

<style scoped>
table.ledger th {
  vertical-align: top;
  padding: 5px 9px;
}
thead th {
  width: 29%;
  min-width: 214px;
}
thead th:first-child {
  width: 13%;
  min-width: 0;
}
thead a {
  font-size: 0.98rem;
}
th.coming a {
  font-style: italic;
}
.line {
  display: block;
  font-weight: 400;
  font-size: 0.92em;
  margin-top: 1px;
}
.none {
  color: var(--loss);
}
tbody th {
  white-space: nowrap;
  vertical-align: middle !important;
  font-size: 0.97em !important;
  color: var(--ink) !important;
  border-bottom: 1px solid var(--rule) !important;
}
td {
  border-left: 1px solid var(--rule);
  cursor: default;
  padding: 4px 9px !important;
}
td:focus-visible {
  outline: none;
}
td.here {
  box-shadow: inset 0 0 0 2px var(--rule);
}
td.here:focus {
  box-shadow: inset 0 0 0 2px var(--accent);
}
td.over,
td.picked {
  background: color-mix(in srgb, var(--accent) 16%, transparent);
}
.cell {
  display: grid;
  grid-template-columns: 13px 62px minmax(0, 1fr) 12px;
  gap: 5px;
  align-items: baseline;
  min-height: 22px;
}
.sign {
  font-size: 0.8rem;
}
.figure {
  text-align: right;
  font-weight: 600;
}
.figure.quiet {
  font-weight: 400;
}
.gain {
  color: var(--accent);
}
.loss {
  color: var(--loss);
}
.old {
  font-style: italic;
  opacity: 0.75;
}
.open {
  color: var(--ochre);
  font-size: 0.87rem;
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
}
.start {
  grid-column: 3;
  grid-row: 1;
  font-size: 0.87rem;
}
.changed {
  color: var(--accent);
  grid-column: 4;
}
</style>
