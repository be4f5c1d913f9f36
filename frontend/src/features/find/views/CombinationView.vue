<script setup lang="ts">
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { answer, api, type Group, type RungPart } from '@/shared/api/client'
import IdealLadder from '@/shared/charts/IdealLadder.vue'
import PictureFrame from '@/shared/charts/PictureFrame.vue'
import WovenStrip from '@/shared/charts/WovenStrip.vue'
import { count, length } from '@/shared/format'
import { useAlso, useWeek } from '@/features/find/look'
import CombinationChange from '@/features/find/parts/CombinationChange.vue'
import CombinationSwitch from '@/shared/parts/CombinationSwitch.vue'
import ConditionsDialog from '@/features/find/parts/ConditionsDialog.vue'
import DriverTable from '@/features/find/parts/DriverTable.vue'
import AlsoNote from '@/features/find/parts/AlsoNote.vue'
import SharePart from '@/features/find/parts/SharePart.vue'
import SwitchesPart from '@/features/find/parts/SwitchesPart.vue'
import HistoryList from '@/shared/parts/HistoryList.vue'
import SkeletonRows from '@/shared/parts/SkeletonRows.vue'
import TargetDialog from '@/features/find/parts/TargetDialog.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import { useMay } from '@/shared/session'
import { useCombination } from '@/shared/queries'

const props = defineProps<{ id: string }>()
const route = useRoute()
const router = useRouter()
const may = useMay()
const changing = ref(false)
const historyShown = ref(false)
const targeting = ref(false)
const sessionsShown = ref(route.query.sessions === '1')

const combination = useCombination(() => props.id)
const weeks = computed(() => combination.data.value?.weeks ?? [])
const { running, week } = useWeek(() => weeks.value)
const also = useAlso()
const analysis = useQuery({
  queryKey: ['analysis', () => props.id, week, also],
  enabled: computed(() => !!combination.data.value),
  placeholderData: keepPreviousData,
  queryFn: () =>
    answer(
      api.GET('/api/combinations/{combination_id}/analysis', {
        params: { path: { combination_id: props.id }, query: { week: week.value, also: also.value } },
      }),
    ),
})
const drivers = computed(() => analysis.data.value?.drivers ?? [])
const driverId = computed({
  get: () => (drivers.value.find((driver) => driver.id === route.query.driver) ?? drivers.value[0])?.id ?? '',
  set: (id) =>
    router.replace({
      query: {
        ...(route.query.week ? { week: route.query.week } : {}),
        ...(route.query.also ? { also: route.query.also } : {}),
        driver: id,
      },
    }),
})
const driver = computed(() => drivers.value.find((item) => item.id === driverId.value))
const laps = useQuery({
  queryKey: ['driver-laps', () => props.id, driverId, week, also],
  enabled: computed(() => !!driverId.value),
  placeholderData: keepPreviousData,
  queryFn: () =>
    answer(
      api.GET('/api/combinations/{combination_id}/drivers/{driver_id}/laps', {
        params: {
          path: { combination_id: props.id, driver_id: driverId.value },
          query: { week: week.value, also: also.value },
        },
      }),
    ),
})

/** What is looked at here is looked at on the next page too. */
const onward = computed(() => ({
  ...(route.query.week ? { week: route.query.week } : week.value ? { week: week.value } : {}),
  ...(route.query.also ? { also: route.query.also } : {}),
}))
const SHARED: { what: 'drivers' | 'laps'; words: string }[] = [
  { what: 'drivers', words: 'Figures of all drivers' },
  { what: 'laps', words: 'Laps of this driver, with losses' },
]
const groupIndex = ref(0)
watch(driverId, () => (groupIndex.value = 0))
const groups = computed(() => (laps.data.value?.id === driverId.value ? laps.data.value.groups : []))
const strip = computed(() => groups.value[groupIndex.value])
const place = ref({ lap: 0, part: 0 })
/** The lap and part that the address names; else where the driver's laps lose most: there the eye starts. */
watch([() => strip.value?.group, () => route.query], () => {
  const shown = strip.value
  if (!shown) return
  const { corner, session, run } = route.query
  const losses = shown.parts.map((part) => part.mean_loss_us ?? 0)
  const named = shown.parts.findIndex((part) => part.code === corner)
  const ofRun = session
    ? shown.laps.findIndex((row) => row.session === session && (!run || row.run === Number(run)))
    : -1
  const lap = ofRun >= 0 ? ofRun : shown.laps.findIndex((row) => row.clean)
  place.value = { lap: Math.max(lap, 0), part: Math.max(named >= 0 ? named : losses.indexOf(Math.max(...losses)), 0) }
})
/** Room for the strip before it is drawn, so that nothing below it jumps. */
const expected = computed(() =>
  strip.value && !strip.value.laps.length
    ? undefined
    : `${169 + 24 * (strip.value?.parts.length ?? analysis.data.value?.segments.length ?? 0)}px`,
)
/** Laps that come while somebody reads leave the place alone; where laps went, it stays within the rest. */
watch(
  () => strip.value?.laps.length ?? 0,
  (count) => {
    if (count && place.value.lap >= count) place.value = { ...place.value, lap: count - 1 }
  },
)
const names = computed(() =>
  Object.fromEntries((analysis.data.value?.segments ?? []).map((segment) => [segment.code, segment.name])),
)
const stripSection = ref<HTMLElement>()

function showLap(part: RungPart) {
  groupIndex.value = 0
  const shown = groups.value[0]
  if (!shown) return
  const lap = shown.laps.findIndex(
    (row) => row.session === part.session && row.run === part.run && row.lap === part.lap,
  )
  if (lap < 0) return
  place.value = {
    lap,
    part: Math.max(
      0,
      shown.parts.findIndex((row) => row.code === part.code),
    ),
  }
  stripSection.value?.scrollIntoView({ block: 'nearest' })
  stripSection.value?.querySelector<HTMLElement>('[role=grid]')?.focus({ preventScroll: true })
}
function groupWords(group: Group): string {
  return [group.race ? 'race' : 'practice', group.wetness, group.compound ? `${group.compound} tyres` : null, group.car]
    .filter(Boolean)
    .join(', ')
}
const dearest = computed(() => {
  const shown = strip.value
  if (!shown?.parts.length) return ''
  const sorted = [...shown.parts].sort((a, b) => (b.mean_loss_us ?? 0) - (a.mean_loss_us ?? 0)).slice(0, 3)
  return sorted.map((part) => `${part.code}${names.value[part.code] ? ` ${names.value[part.code]}` : ''}`).join(', ')
})
</script>

<template>
  <h1 v-if="!combination.data.value">Combination</h1>
  <v-progress-linear v-if="combination.isPending.value" indeterminate aria-label="Loading the combination" />
  <TroubleNote
    :error="combination.error.value ?? analysis.error.value"
    :again="() => (combination.refetch(), analysis.refetch())"
  />
  <template v-if="combination.data.value">
    <div class="top">
      <div class="title">
        <h1>{{ combination.data.value.track }}, {{ combination.data.value.layout }}</h1>
        <p class="quiet">
          {{ combination.data.value.car }} · {{ count(combination.data.value.laps, 'lap') }} of
          {{ count(combination.data.value.drivers.length, 'driver') }} · {{ length(combination.data.value.length_m) }} ·
          <RouterLink
            :to="{
              name: 'track',
              params: { id: combination.data.value.layout_id },
              query: { car: combination.data.value.car_id },
            }"
            >track book</RouterLink
          >
          · <RouterLink :to="{ name: 'traces', params: { id } }">traces</RouterLink>
        </p>
        <p v-if="weeks.length">
          <label
            >Laps of
            <select :value="week ?? ''" @change="week = ($event.target as HTMLSelectElement).value || undefined">
              <option v-for="item in weeks" :key="item.id" :value="item.id">
                {{ item.series }}, week {{ item.number }}{{ item.id === running?.id ? ' (on now)' : '' }}
              </option>
              <option value="">all times</option>
            </select></label
          >
          <span v-if="!week && running" class="earlier"> Earlier laps are among these.</span>
        </p>
        <p v-if="combination.data.value.note" class="note-text">{{ combination.data.value.note }}</p>
      </div>
      <div class="right">
        <div class="actions">
          <CombinationSwitch :id="id" />
          <v-btn variant="outlined" color="primary" @click="historyShown = true">History</v-btn>
          <v-btn variant="outlined" color="primary" @click="sessionsShown = true">Sessions</v-btn>
          <v-btn v-if="may('combination.target')" variant="outlined" color="primary" @click="targeting = true"
            >Target</v-btn
          >
          <v-btn v-if="may('combination.change')" variant="outlined" color="primary" @click="changing = true"
            >Note and settings</v-btn
          >
          <SharePart v-if="driver" :id="id" :week="week" :driver="driver" :tables="SHARED" lap-file />
          <v-btn color="primary" :to="{ name: 'add-laps', params: { id } }">Add laps</v-btn>
        </div>
        <SwitchesPart :countable="analysis.data.value?.countable" />
      </div>
    </div>
    <ConditionsDialog v-if="sessionsShown" :id="id" @close="sessionsShown = false" />
    <TargetDialog v-if="targeting" :id="id" @close="targeting = false" />
    <CombinationChange v-if="changing" :combination="combination.data.value" @close="changing = false" />
    <v-dialog v-model="historyShown" max-width="900" aria-labelledby="combination-history-title">
      <div class="sheet part">
        <h2 id="combination-history-title">
          History of {{ combination.data.value.track }}, {{ combination.data.value.car }}
        </h2>
        <HistoryList v-if="historyShown" :id="id" thing="combination" />
        <div class="buttons"><v-btn color="primary" @click="historyShown = false">Close</v-btn></div>
      </div>
    </v-dialog>
    <SkeletonRows
      v-if="analysis.isPending.value"
      :rows="combination.data.value.drivers.length + 1"
      label="Computing the figures"
    />
    <section v-if="analysis.data.value && !drivers.length" class="sheet empty">
      <h2>{{ combination.data.value.laps ? 'No laps of this week yet' : 'No laps yet' }}</h2>
      <p v-if="combination.data.value.laps">
        {{ count(combination.data.value.laps, 'lap') }} of other times are there: choose “all times” above to look at
        them.
      </p>
      <p v-if="may('combination.change')">
        Add a lap file: one row a lap, with the driver, the lap number and the time; sectors and segments if you have
        them.
      </p>
      <p v-else>
        You have no laps here. Add a lap file with your own; once they are in, this page shows where your time goes.
      </p>
      <v-btn color="primary" :to="{ name: 'add-laps', params: { id } }">Add the first laps</v-btn>
    </section>
    <template v-if="analysis.data.value && driver">
      <p v-if="also.length" class="noted">All figures <AlsoNote /></p>
      <DriverTable v-model="driverId" :drivers="drivers" :mark-words="analysis.data.value.mark_words" />
      <ul v-if="analysis.data.value.warnings.length" class="warnings">
        <li v-for="warning in analysis.data.value.warnings" :key="warning.driver + warning.reason">
          {{ warning.driver }}: {{ warning.reason }}.
        </li>
      </ul>
      <div class="pair">
        <section ref="stripSection" class="sheet strip" aria-labelledby="strip-title" :style="{ minHeight: expected }">
          <h2 id="strip-title">
            Where the time goes: {{ driver.name }}
            <AlsoNote />
            <small v-if="strip && dearest" class="quiet">most at {{ dearest }} · {{ groupWords(strip.group) }}</small>
          </h2>
          <div v-if="groups.length > 1" class="groups" role="group" aria-label="Group of laps">
            <button
              v-for="(group, index) in groups"
              :key="index"
              type="button"
              :aria-pressed="groupIndex === index"
              @click="groupIndex = index"
            >
              {{ groupWords(group.group) }} ({{ group.laps.length }})
            </button>
          </div>
          <v-progress-linear v-if="laps.isFetching.value && !strip" indeterminate aria-label="Loading the laps" />
          <TroubleNote :error="laps.error.value" :again="() => laps.refetch()" />
          <PictureFrame v-if="strip?.depth && strip.laps.length" :name="`laps by parts, ${driver.name}`"
            ><WovenStrip v-model="place" :strip="strip" :names="names" :mark-words="analysis.data.value.mark_words"
          /></PictureFrame>
          <p v-else-if="strip" class="empty">
            {{
              strip.laps.length
                ? 'These laps have times alone. Files with sector or segment times would show here where the time goes.'
                : 'No flying lap in this group yet.'
            }}
          </p>
        </section>
        <section class="sheet" aria-labelledby="ladder-title">
          <h2 id="ladder-title">From best lap to the ideals: {{ driver.name }}<AlsoNote /></h2>
          <p class="onward">
            <RouterLink :to="{ name: 'driver-pace', params: { id, driver: driverId }, query: onward }"
              >Pace, consistency and options of {{ driver.name }}</RouterLink
            >
            · <RouterLink :to="{ name: 'beside', params: { id }, query: onward }">Drivers side by side</RouterLink>
          </p>
          <PictureFrame :name="`ladder, ${driver.name}`"
            ><IdealLadder :rungs="driver.ladder" :driver="driver.name" @lap="showLap"
          /></PictureFrame>
        </section>
      </div>
    </template>
  </template>
</template>

<style scoped>
.top {
  display: flex;
  flex-wrap: wrap;
  justify-content: space-between;
  align-items: center;
  gap: 4px 24px;
  margin: -4px 0 8px;
}
.title h1 {
  line-height: 1.1;
}
.actions {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px;
  min-width: 0;
  max-width: 100%;
}
.earlier {
  color: var(--ochre);
}
.right {
  display: flex;
  flex-direction: column;
  align-items: flex-end;
  gap: 4px;
  min-width: 0;
  max-width: 100%;
}
.noted {
  margin-bottom: 2px;
}
.note-text {
  flex-basis: 100%;
  white-space: pre-wrap;
  max-width: 90ch;
}
.pair {
  display: grid;
  gap: 12px;
  margin-top: 12px;
}
.pair > section {
  min-width: 0;
}
section > h2 {
  padding: 9px 12px 0;
}
small {
  font-family: var(--sans);
  font-weight: 400;
  font-size: 0.85rem;
  margin-left: 8px;
}
.group,
.groups {
  padding: 2px 12px 0;
}
.groups {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 8px;
}
.groups button {
  padding: 1px 9px;
  border: 1px solid var(--quiet);
  border-radius: 3px;
}
.groups button[aria-pressed='true'] {
  border-color: var(--accent);
  box-shadow: inset 0 -3px 0 var(--accent);
  font-weight: 600;
}
p.empty,
.onward {
  padding: 2px 12px;
}
p.empty {
  padding: 18px 22px;
}
.warnings {
  margin: 8px 0 0 18px;
  color: var(--ochre);
}
</style>
