<script setup lang="ts">
import { type DriverPace, type PaceRun } from '@/shared/api/client'
import { PURPOSES, runPlace } from '@/features/drive/runs'
import { runName, secondsOf } from '@/features/find/pace'
import { gap, lapTime } from '@/shared/format'

/** Run by run, and by the lap of the run. */
const props = defineProps<{ id: string; driver: string; pace: DriverPace }>()
const sheetOf = (run: PaceRun) =>
  runPlace(props.id, { session_id: run.session_id, driver_id: props.driver, number: run.run ?? 0 })
</script>

<template>
  <div class="halves">
    <div class="scroll-x" tabindex="0" role="group" aria-label="Runs">
      <table class="ledger">
        <caption class="visually-hidden">
          Run by run
        </caption>
        <thead>
          <tr>
            <th scope="col">Run</th>
            <th scope="col">For</th>
            <th scope="col" class="number">Clean</th>
            <th scope="col" class="number">Median</th>
            <th scope="col" class="number">A lap</th>
            <th scope="col" class="number">Deviation</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="run in pace.runs" :key="runName(run)">
            <th scope="row">
              <RouterLink :to="sheetOf(run)">{{ runName(run) }}</RouterLink>
            </th>
            <td>{{ run.purpose ? PURPOSES[run.purpose] : '–' }}</td>
            <td class="number">{{ run.clean }} of {{ run.flying }}</td>
            <td class="number">{{ lapTime(run.median_us) }}</td>
            <td class="number">{{ gap(run.slope_us) }}</td>
            <td class="number">{{ secondsOf(run.adjusted_us) }}</td>
          </tr>
        </tbody>
      </table>
    </div>
    <div class="scroll-x" tabindex="0" role="group" aria-label="Laps of the run">
      <table v-if="pace.by_lap_of_run.length" class="ledger">
        <caption class="visually-hidden">
          By lap of the run
        </caption>
        <thead>
          <tr>
            <th scope="col" class="number">Lap of run</th>
            <th scope="col" class="number">Laps</th>
            <th scope="col" class="number">Against the run’s median</th>
            <th scope="col" class="number">Deviation</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="item in pace.by_lap_of_run" :key="item.lap">
            <th scope="row" class="number">{{ item.lap }}</th>
            <td class="number">{{ item.n }}</td>
            <td class="number">{{ gap(item.offset_us) }}</td>
            <td class="number">{{ secondsOf(item.spread_us) }}</td>
          </tr>
        </tbody>
      </table>
    </div>
  </div>
</template>

<style scoped src="@/features/find/pace.css"></style>
