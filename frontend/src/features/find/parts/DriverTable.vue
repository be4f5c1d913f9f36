<script setup lang="ts">
import type { DriverFigures } from '@/shared/api/client'
import { lapTime, perCent } from '@/shared/format'

const props = defineProps<{ drivers: DriverFigures[]; markWords: Record<string, { name: string; meaning: string }> }>()
const chosen = defineModel<string>({ required: true })

interface Column {
  title: string
  path: string
  text: (driver: DriverFigures) => string
  more?: (driver: DriverFigures) => string
}
/** What stands behind a figure: the reason where there is none, else what more there is to say. */
const behind = (column: Column, driver: DriverFigures) => driver.missing[column.path] ?? column.more?.(driver)
const time = (title: string, path: string, value: (driver: DriverFigures) => number | null, decimals = 3): Column => ({
  title,
  path,
  text: (driver) => lapTime(value(driver), decimals),
})
const columns: Column[] = [
  {
    title: 'Clean of flying',
    path: 'laps',
    text: (driver) => `${driver.figures.laps.clean} of ${driver.figures.laps.flying}`,
    more: (driver) =>
      Object.entries(props.markWords)
        .filter(([mark]) => driver.figures.laps[mark])
        .map(([mark, words]) => `${driver.figures.laps[mark]} ${words.name}`)
        .join(', '),
  },
  time('Best lap', 'best_us', (driver) => driver.figures.best_us),
  time('Unbroken circuit', 'ideal.unbroken_us', (driver) => driver.figures.ideal.unbroken_us),
  time('Sector ideal', 'ideal.sector_us', (driver) => driver.figures.ideal.sector_us),
  time('Linked, race', 'ideal.linked_race_us', (driver) => driver.figures.ideal.linked_race_us),
  time('Linked, qualifying', 'ideal.linked_qualifying_us', (driver) => driver.figures.ideal.linked_qualifying_us),
  time('Segment ideal', 'ideal.segment_us', (driver) => driver.figures.ideal.segment_us),
  time('Median', 'consistency.median_us', (driver) => driver.figures.consistency.median_us),
  time('Deviation', 'consistency.sd_us', (driver) => driver.figures.consistency.sd_us),
  time('robust', 'consistency.robust_sd_us', (driver) => driver.figures.consistency.robust_sd_us),
  time('adjusted', 'consistency.adjusted_sd_us', (driver) => driver.figures.consistency.adjusted_sd_us),
  {
    title: 'Clean rate',
    path: 'consistency.clean_rate',
    text: (driver) => perCent(driver.figures.consistency.clean_rate),
  },
]
</script>

<template>
  <div class="scroll-x sheet" tabindex="0" role="region" aria-label="Figures of each driver">
    <table class="ledger">
      <thead>
        <tr>
          <th scope="col">Driver</th>
          <th v-for="column in columns" :key="column.path" scope="col" class="number">{{ column.title }}</th>
          <th scope="col">Sure</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="driver in drivers" :key="driver.id" :class="{ chosen: driver.id === chosen }">
          <th scope="row">
            <button type="button" :aria-pressed="driver.id === chosen" @click="chosen = driver.id">
              {{ driver.name }}<span v-if="driver.guest" class="quiet"> (guest)</span>
            </button>
          </th>
          <td v-for="column in columns" :key="column.path" class="number" :title="behind(column, driver)">
            {{ column.text(driver)
            }}<span v-if="behind(column, driver)" class="visually-hidden">: {{ behind(column, driver) }}</span>
          </td>
          <td :title="driver.sure_words">
            <span class="sure" :class="driver.figures.sure">{{ driver.figures.sure }}</span>
          </td>
        </tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
table.ledger th,
table.ledger td {
  padding: 2px 8px;
}
tbody th {
  border-bottom: 1px solid var(--rule) !important;
  white-space: nowrap;
  font-size: 1em !important;
  vertical-align: middle !important;
  color: inherit !important;
  line-height: inherit !important;
}
tbody button {
  text-align: left;
  font-weight: 500;
  text-decoration: underline;
  text-decoration-color: var(--rule);
  text-underline-offset: 3px;
}
tr.chosen {
  background: color-mix(in srgb, var(--accent) 13%, transparent);
}
tr.chosen th {
  box-shadow: inset 4px 0 0 var(--accent);
}
tr.chosen button {
  font-weight: 700;
}
.sure.thin {
  color: var(--loss);
}
.sure.likely {
  color: var(--ochre);
}
</style>
