<script setup lang="ts">
import { useRouter } from 'vue-router'
import { type DriverPace } from '@/shared/api/client'
import PlotField, { type PlotLine, type PlotPoint } from '@/shared/charts/PlotField.vue'
import PictureFrame from '@/shared/charts/PictureFrame.vue'
import { runPlace } from '@/features/drive/runs'
import AlsoNote from '@/features/find/parts/AlsoNote.vue'
import ColdLaps from '@/features/find/parts/ColdLaps.vue'
import VersusPart from '@/features/find/parts/VersusPart.vue'
import { gap, lapTime, perCent } from '@/shared/format'
import { useMay } from '@/shared/session'

/** Pace over a run: falloff, tread, par for the minute, push or save. */
const props = defineProps<{
  id: string
  driver: string
  week?: string
  pace: DriverPace
  names: Record<string, string | null>
}>()
const may = useMay()
const router = useRouter()
type Par = DriverPace['pars'][number]
const parPoints = (par: Par): PlotPoint[] =>
  par.laps.map((lap) => ({
    key: `${lap.run}:${lap.lap}`,
    x: lap.minute,
    // Driven with another setup, a lap is held against the par of that setup.
    y: lap.levelled_us,
    ring: !lap.clean,
    words: `run ${lap.run ?? '–'}, lap ${lap.lap}: ${lapTime(lap.time_us)}, ${gap(lap.behind_us)} against par`,
  }))
const parLines = (par: Par): PlotLine[] => [
  { key: 'par', kind: 'curve', at: par.curve.map((point) => [point.minute, point.par_us]) },
]
function openPar(par: Par, which: string) {
  void router.push(
    runPlace(props.id, {
      session_id: par.session_id,
      driver_id: props.driver,
      number: Number(which.split(':')[0]) || 0,
    }),
  )
}
</script>

<template>
  <section class="sheet part" aria-labelledby="over">
    <h2 id="over">Pace over a run<AlsoNote /></h2>
    <ul class="told">
      <li v-for="line in pace.falloff_words" :key="line">{{ line }}</li>
    </ul>
    <details v-if="(pace.falloff?.by_set.length ?? 0) > 1">
      <summary>By tyre set</summary>
      <ul class="told">
        <li v-for="item in pace.falloff?.by_set" :key="item.tyre_set">
          {{ item.tyre_set }}: {{ gap(item.us_per_lap) }} a lap ({{ gap(item.low_us) }} to {{ gap(item.high_us) }})
        </li>
      </ul>
    </details>
    <ul v-if="pace.proposals.length || pace.falloff_by_part_words" class="told">
      <li v-if="pace.falloff_by_part_words">{{ pace.falloff_by_part_words }}</li>
      <li v-for="item in pace.proposals" :key="item.setting">
        {{ item.words }}
        <ColdLaps v-if="may('combination.change')" :id="id" :laps="item.value" />
      </li>
    </ul>
    <details v-if="pace.falloff_by_part.length">
      <summary>Falloff by part of the lap</summary>
      <table class="ledger by-part">
        <caption class="visually-hidden">
          Falloff by part of the lap
        </caption>
        <thead>
          <tr>
            <th scope="col">Part</th>
            <th scope="col" class="number">Each further lap</th>
            <th scope="col" class="number">from</th>
            <th scope="col" class="number">to</th>
            <th scope="col" class="number">Share</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="item in pace.falloff_by_part" :key="item.code">
            <th scope="row">{{ item.code }}{{ names[item.code] ? ` ${names[item.code]}` : '' }}</th>
            <td class="number">{{ gap(item.us_per_lap) }}</td>
            <td class="number">{{ gap(item.low_us) }}</td>
            <td class="number">{{ gap(item.high_us) }}</td>
            <td class="number">{{ perCent(item.share) }}</td>
          </tr>
        </tbody>
      </table>
    </details>
    <ul v-if="pace.setup_changes.length" class="told">
      <li v-for="item in pace.setup_changes" :key="item.words">{{ item.words }}</li>
    </ul>
    <p v-if="pace.wheels.length">
      Tread:
      <template v-for="(item, index) in pace.wheels" :key="item.wheel"
        >{{ index ? '; ' : '' }}{{ item.wheel.replace('_', ' ') }} loses {{ item.per_lap_pct.toFixed(1) }} % a
        lap<template v-if="item.through_at !== null"
          >, through at lap {{ item.through_at }} of the set</template
        ></template
      >.
    </p>
    <div v-for="item in pace.pars" :key="item.session">
      <h3>Par for the minute, session {{ item.session }}</h3>
      <ul class="told">
        <li v-for="line in item.words" :key="line">{{ line }}</li>
      </ul>
      <PictureFrame :name="`par, session ${item.session}, ${pace.name}`"
        ><PlotField
          :points="parPoints(item)"
          :lines="parLines(item)"
          :high="190"
          across="minutes of the session; the line is par from everybody’s laps, brought to this driver’s level"
          :format="(value) => lapTime(value, 1)"
          :format-across="(value) => String(Math.round(value))"
          :label="`${pace.name} against par in session ${item.session}: ${item.words.join(' ')}`"
          @pick="(which) => openPar(item, which)"
      /></PictureFrame>
    </div>
    <h3>Push or save: two runs side by side</h3>
    <VersusPart :id="id" :driver="driver" :week="week" :pace="pace" />
  </section>
</template>

<style scoped src="@/features/find/pace.css"></style>
<style scoped>
.by-part {
  width: auto;
}
</style>
