<script setup lang="ts">
import { computed } from 'vue'
import { type DriverPace } from '@/shared/api/client'
import PlotField, { type PlotLine, type PlotPoint } from '@/shared/charts/PlotField.vue'
import PictureFrame from '@/shared/charts/PictureFrame.vue'
import { secondsOf } from '@/features/find/pace'
import AlsoNote from '@/features/find/parts/AlsoNote.vue'
import { lapTime, perCent } from '@/shared/format'

/** The likely best of several laps, and what is left to learn. */
const props = defineProps<{ pace: DriverPace }>()
const learning = computed(() => props.pace.learning)
const learningPoints = computed<PlotPoint[]>(() =>
  (learning.value?.points ?? []).map((point, index) => ({
    key: String(index),
    x: point.laps_done,
    y: point.median_us,
    words: `after ${Math.round(point.laps_done)} laps: median ${lapTime(point.median_us)}`,
  })),
)
const learningLines = computed<PlotLine[]>(() => {
  const curve = learning.value?.curve ?? []
  const lines: PlotLine[] = curve.length
    ? [{ key: 'curve', kind: 'curve', at: curve.map((point) => [point.laps_done, point.median_us]) }]
    : []
  const target = props.pace.target_us
  if (target && learningPoints.value.length)
    lines.push({
      key: 'target',
      kind: 'target',
      at: [
        [learningPoints.value[0]!.x, target],
        [curve.at(-1)?.laps_done ?? learningPoints.value.at(-1)!.x, target],
      ],
    })
  return lines
})
</script>

<template>
  <section class="sheet part" aria-labelledby="likely">
    <h2 id="likely">What is likely, and what is left to learn<AlsoNote /></h2>
    <div class="halves">
      <div>
        <table v-if="pace.figures.best_of" class="ledger">
          <caption class="visually-hidden">
            The likely best of n laps
          </caption>
          <thead>
            <tr>
              <th scope="col" class="number">Best of</th>
              <th scope="col" class="number">1 in 10</th>
              <th scope="col" class="number">As often as not</th>
              <th scope="col" class="number">9 in 10</th>
              <th v-if="pace.odds" scope="col" class="number">Odds of {{ lapTime(pace.target_us) }}</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="(item, index) in pace.figures.best_of" :key="item.laps">
              <th scope="row" class="number">{{ item.laps }}</th>
              <td class="number">{{ lapTime(item.p10_us) }}</td>
              <td class="number">{{ lapTime(item.p50_us) }}</td>
              <td class="number">{{ lapTime(item.p90_us) }}</td>
              <td v-if="pace.odds" class="number">{{ perCent(pace.odds[index]?.share) }}</td>
            </tr>
          </tbody>
        </table>
        <p v-else class="quiet">The likely best of several laps can’t be told: {{ pace.missing['best_of'] }}.</p>
        <p v-if="pace.lap_to_show" class="mt-3">
          <b>Lap to show:</b> session {{ pace.lap_to_show.session }}, run {{ pace.lap_to_show.run }}, lap
          {{ pace.lap_to_show.lap }}: {{ lapTime(pace.lap_to_show.time_us) }}, only
          {{ secondsOf(pace.lap_to_show.excess_us) }} above the references in sum. To learn from, not the fastest.
        </p>
      </div>
      <div>
        <p>{{ learning?.words }}</p>
        <PictureFrame v-if="learningPoints.length > 1" :name="`learning, ${pace.name}`"
          ><PlotField
            :points="learningPoints"
            :lines="learningLines"
            :high="170"
            across="laps done"
            :format="(value) => lapTime(value, 1)"
            :label="`Run medians over laps done: ${learningPoints.map((point) => point.words).join('; ')}`"
        /></PictureFrame>
      </div>
    </div>
  </section>
</template>

<style scoped src="@/features/find/pace.css"></style>
