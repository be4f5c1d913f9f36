<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { RouterLink } from 'vue-router'
import { answer, api } from '@/shared/api/client'
import PictureFrame from '@/shared/charts/PictureFrame.vue'
import { capital, count, lapTime, moment } from '@/shared/format'
import { useLibrary } from '@/features/fix/clinic'
import { FAULTS, ties, useLessonActs, useResultActs, type Debrief, type DebriefResult } from '@/features/log/log'
import ExpectedStrips from '@/features/log/parts/ExpectedStrips.vue'
import PressureStrips from '@/features/log/parts/PressureStrips.vue'
import ResultForm from '@/features/log/parts/ResultForm.vue'
import SkeletonRows from '@/shared/parts/SkeletonRows.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import WorkButton from '@/shared/parts/WorkButton.vue'
import { useMay, useMe } from '@/shared/session'

/** A race afterwards: what each start brought, what was expected beside what came, and what there is to be learned from it. */
const props = defineProps<{ id: string }>()
const me = useMe()
const may = useMay()
const leads = computed(() => may('drivers.see_all'))
const asked = useQuery({
  queryKey: ['results', () => props.id],
  queryFn: () => answer(api.GET('/api/races/{entered_id}/debrief', { params: { path: { entered_id: props.id } } })),
})
const race = computed(() => asked.data.value)
const { words } = useLibrary()
const acts = useResultActs(() => props.id)
const lessons = useLessonActs()
const changing = ref<DebriefResult>()
const corner = (code: string) =>
  [code, race.value?.corners.find((item) => item.code === code)?.name].filter(Boolean).join(' ')
function facts(item: DebriefResult): string {
  const places = item.finish !== null ? `finished ${item.finish}` : ''
  return [
    item.qualifying_us !== null && `qualified with ${lapTime(item.qualifying_us)}`,
    item.grid !== null && `started from ${item.grid}`,
    places,
    item.laps !== null && count(item.laps, 'lap'),
    item.stops.length > 0 &&
      `stops behind ${item.stops.map((stop) => `lap ${stop.lap}${stop.seconds ? ` (${stop.seconds} s)` : ''}${stop.compound ? ` for ${stop.compound}` : ''}`).join(', ')}`,
    item.points !== null && `${item.points} points`,
  ]
    .filter(Boolean)
    .join(' · ')
}
const tied = (item: Debrief['proposals'][number]) =>
  ties({
    place: item.layout_id ? race.value?.place : null,
    corner: item.corner,
    car: item.car_id ? 'this car' : null,
    driver: item.driver_id ? race.value?.driver : null,
    condition: item.condition,
  })
</script>

<template>
  <TroubleNote :error="asked.error.value" :again="() => asked.refetch()" />
  <SkeletonRows v-if="asked.isPending.value" :rows="10" label="Looking back at the race" />
  <template v-if="race">
    <div class="top">
      <h1>{{ race.driver }}: {{ race.place || race.series }}</h1>
      <p class="links">
        <RouterLink to="/log">All races behind</RouterLink>
        <RouterLink :to="{ name: 'race-sheet', params: { id } }">Race sheet</RouterLink>
        <RouterLink v-if="race.combination_id" :to="{ name: 'add-laps', params: { id: race.combination_id } }"
          >Add the race’s laps</RouterLink
        >
        <RouterLink v-if="race.layout_id" :to="{ name: 'track', params: { id: race.layout_id } }"
          >Track book</RouterLink
        >
        <RouterLink :to="{ name: 'book', params: { driver: race.driver_id } }">{{ race.driver }}’s season</RouterLink>
      </p>
    </div>
    <p class="quiet">
      {{ race.series }}, week {{ race.number
      }}<template v-if="race.points !== null"> · {{ race.points }} points</template>
    </p>
    <section v-for="(item, index) in race.results" :key="item.id" class="sheet part" :aria-labelledby="`start${index}`">
      <h2 :id="`start${index}`">Start of {{ moment(item.starts_at) }}</h2>
      <p>
        {{ capital(facts(item)) || 'Nothing but the start is written down.' }} <span class="quiet">{{ item.by }}</span>
      </p>
      <ul v-if="item.incidents.length">
        <li v-for="(one, number) in item.incidents" :key="number">
          {{ words[one.what] }}<template v-if="one.corner"> at {{ corner(one.corner) }}</template
          ><template v-if="one.lap"> on lap {{ one.lap }}</template
          >, {{ FAULTS[one.fault] }}<template v-if="one.note">: {{ one.note }}</template>
        </li>
      </ul>
      <p v-if="item.note">{{ item.note }}</p>
      <h3>Expected, and came</h3>
      <PictureFrame v-if="item.compared.length" :name="`expected and came, ${race.driver}, ${moment(item.starts_at)}`"
        ><ExpectedStrips :items="item.compared"
      /></PictureFrame>
      <p v-else class="quiet">
        {{
          item.sheet === null
            ? 'No sheet was in hand before this start, so that nothing is known of what was expected.'
            : 'Neither a lap of qualifying nor laps of the race are there to hold against the sheet.'
        }}
      </p>
      <p v-if="item.compared.length" class="quiet">
        From sheet {{ item.sheet }}: the stretch is what was expected, the diamond what came; a cross lies beyond it.
      </p>
      <template v-if="item.pressure.length">
        <h3>Corners under pressure</h3>
        <PictureFrame :name="`corners under pressure, ${race.driver}, ${moment(item.starts_at)}`"
          ><PressureStrips :items="item.pressure"
        /></PictureFrame>
        <p class="quiet">How often they went wrong: the full bar in the race, the one below in practice.</p>
      </template>
      <p v-else-if="!item.race_laps" class="quiet">
        No lap of this race is there. With a file, a rig or by hand they are added to the combination, as laps of a
        race.
      </p>
      <p v-if="leads || race.driver_id === me.data.value?.driver_id" class="buttons">
        <button type="button" class="link" @click="changing = item">
          Change<span class="visually-hidden"> the start of {{ moment(item.starts_at) }}</span>
        </button>
        <button type="button" class="link" @click="acts.remove.mutate(item)">
          Take out<span class="visually-hidden"> the start of {{ moment(item.starts_at) }}</span>
        </button>
      </p>
      <TroubleNote :error="acts.remove.error.value" />
    </section>
    <p v-if="!race.results.length" class="quiet" role="status">Nothing is written down of this race yet.</p>
    <section v-if="race.proposals.length" class="sheet part" aria-labelledby="proposed-title">
      <h2 id="proposed-title">What there is to be learned</h2>
      <p class="quiet">Proposed by the figures. What is written down comes back when its track, car or driver does.</p>
      <ul class="plain">
        <li v-for="item in race.proposals" :key="item.text">
          <span
            >{{ item.text }} <span class="quiet">{{ tied(item) }}</span></span
          >
          <WorkButton
            size="small"
            variant="outlined"
            :loading="lessons.add.isPending.value"
            @click="lessons.add.mutate(item)"
            >{{ leads ? 'Confirm' : 'Propose' }}<span class="visually-hidden">: {{ item.text }}</span></WorkButton
          >
        </li>
      </ul>
      <TroubleNote :error="lessons.add.error.value" />
    </section>
    <ResultForm
      v-if="leads || race.driver_id === me.data.value?.driver_id"
      :race="race"
      :changing="changing"
      @done="changing = undefined"
    />
  </template>
</template>

<style scoped src="@/shared/theme/page.css"></style>
<style scoped>
h3 {
  margin: 8px 0 2px;
}
</style>
