<script setup lang="ts">
import { computed } from 'vue'
import { RouterLink } from 'vue-router'
import { type Schemas } from '@/shared/api/client'
import PictureFrame from '@/shared/charts/PictureFrame.vue'
import { seconds } from '@/features/fix/clinic'
import { lapTime, perCent } from '@/shared/format'

/** Tyres and stops: the plans that could be, and when another one would be as fast. */
const props = defineProps<{ race: Schemas['RaceOut'] }>()
const most = computed(() =>
  Math.max(
    1,
    ...(props.race.stops?.plans ?? []).map((item) => item.stints.reduce((sum, stint) => sum + stint.laps, 0)),
  ),
)
/** The best, and those that could be. */
const shares = computed(() =>
  (props.race.stops?.plans ?? []).filter((item, index) => index < 2 || item.wins > 0).slice(0, 6),
)
/** A stop that would have to cost next to nothing is no choice. */
const flips = computed(() =>
  (props.race.stops?.pit_flips_s ?? []).filter((item) => item.seconds >= 0.4 * props.race.wish.pit_s),
)
const hatch = (name: string) => `h${(props.race.compounds ?? []).indexOf(name) % 4}`
</script>

<template>
  <section class="sheet part" aria-labelledby="tyres-title">
    <h2 id="tyres-title">Tyres and stops</h2>
    <template v-if="race.stops?.plans.length">
      <PictureFrame :name="`tyres and stops, ${race.driver}`"
        ><ol class="plans">
          <li v-for="(item, index) in shares" :key="item.words">
            <p>
              <b>{{ item.words }}</b>
              <span class="quiet"
                >{{ index ? `${seconds(item.behind_us)} slower` : lapTime(item.time_us) }}; fastest in
                {{ perCent(item.wins) }} of the draws</span
              >
            </p>
            <span class="stints" aria-hidden="true"
              ><span
                v-for="(stint, place) in item.stints"
                :key="place"
                class="stint"
                :class="hatch(stint.compound)"
                :style="{ width: `${(100 * stint.laps) / most}%` }"
                >{{ stint.laps }}</span
              ></span
            >
          </li>
        </ol></PictureFrame
      >
      <p v-for="flip in flips" :key="flip.stops" class="quiet">
        With {{ flip.stops ? `${flip.stops} ${flip.stops === 1 ? 'stop' : 'stops'}` : 'no stop' }} it would be as fast
        if a stop cost {{ flip.seconds.toFixed(1) }} s.
      </p>
      <p v-for="item in race.stops.falloff_flips" :key="item.compound" class="quiet">
        If {{ item.compound }} fell off {{ seconds(item.falloff_us, 3) }} a lap, {{ item.words }} would be as fast.
      </p>
      <p v-for="item in race.stops.cautions" :key="item.first">
        A caution behind
        {{ item.first === item.last ? `lap ${item.first}` : `laps ${item.first} to ${item.last}` }}: stop then, up to
        <b>{{ seconds(item.best_us) }}</b> won (lap {{ item.at }}).
      </p>
      <details>
        <summary>What this stands on</summary>
        <ul>
          <li v-for="item in race.stops.compounds" :key="String(item.name)">
            {{ item.name }}: {{ lapTime(Number(item.new_us)) }} on new tyres, falloff
            {{ seconds(Number(item.falloff_us), 3) }} a lap ({{ seconds(Number(item.falloff_low_us), 3) }} to
            {{ seconds(Number(item.falloff_high_us), 3) }})<template v-if="item.life"
              >, {{ item.life }} laps a set</template
            >
          </li>
        </ul>
      </details>
    </template>
    <p v-else-if="race.stops">No plan is possible: {{ race.stops.why_none }}.</p>
    <p v-else class="quiet">Nothing tells yet.</p>
    <p v-if="race.eaters">{{ race.eaters }}</p>
    <p v-for="item in race.options.filter((one) => one.race)" :key="item.where">
      {{ item.where === 'lap' ? 'All lap' : item.where }}: {{ item.race }}
    </p>
    <p v-if="race.opening && !race.opening.tried">
      {{ race.opening.words
      }}<template v-if="!race.opening.verdict && race.combination_id">
        {{ ' '
        }}<RouterLink :to="{ name: 'driver-pace', params: { id: race.combination_id, driver: race.driver_id } }"
          >Try it on purpose</RouterLink
        >: one run pushed, one saved, each with its option named.</template
      >
    </p>
    <template v-if="race.crossing">
      <p v-if="race.crossing.drying">
        Drying: dry tyres from a lap of <b>{{ lapTime(race.crossing.drying.change_us) }}</b> on,
        {{ race.crossing.laps_left }} laps from the end.
      </p>
      <p v-if="race.crossing.getting_wet">
        Getting wet: wet tyres from a lap of <b>{{ lapTime(race.crossing.getting_wet.change_us) }}</b> on.
      </p>
    </template>
  </section>
</template>

<style scoped src="@/shared/theme/page.css"></style>
<style scoped src="@/features/race/race.css"></style>
