<script setup lang="ts">
import { keepPreviousData, useMutation, useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { RouterLink, useRoute } from 'vue-router'
import { answer, api } from '@/shared/api/client'
import { seconds, useClinicSettled, useLibrary } from '@/features/fix/clinic'
import { useAlso, useWeek } from '@/features/find/look'
import CombinationSwitch from '@/shared/parts/CombinationSwitch.vue'
import AlsoNote from '@/features/find/parts/AlsoNote.vue'
import SkeletonRows from '@/shared/parts/SkeletonRows.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import { useMay } from '@/shared/session'
import { useCombination } from '@/shared/queries'

/** Corners by drivers: what recurring mistakes and standing losses cost a lap, and what is a matter of the track book. */
const props = defineProps<{ id: string }>()
const route = useRoute()
const may = useMay()
const settled = useClinicSettled()
const { words } = useLibrary()
const combination = useCombination(() => props.id)
const weeks = computed(() => combination.data.value?.weeks ?? [])
const { running, week } = useWeek(() => weeks.value)
const also = useAlso()
const clinic = useQuery({
  enabled: () => Boolean(combination.data.value),
  queryKey: ['clinic', () => props.id, 'team', week, also],
  placeholderData: keepPreviousData,
  queryFn: () =>
    answer(
      api.GET('/api/combinations/{combination_id}/clinic', {
        params: { path: { combination_id: props.id }, query: { week: week.value, also: also.value } },
      }),
    ),
})
const work = useQuery({
  queryKey: ['assignments', () => props.id],
  queryFn: () =>
    answer(
      api.GET('/api/combinations/{combination_id}/assignments', { params: { path: { combination_id: props.id } } }),
    ),
})
const shown = computed(() => clinic.data.value)
const most = computed(() =>
  Math.max(1, ...(shown.value?.corners ?? []).flatMap((corner) => corner.cells.map((cell) => cell.cost_us))),
)
const rows = computed(() =>
  (shown.value?.corners ?? []).map((corner) => ({
    ...corner,
    all: corner.cells.reduce((sum, cell) => sum + cell.cost_us, 0),
  })),
)
const open = computed(() => (work.data.value?.items ?? []).filter((item) => !item.ended_at))
const asked = useMutation({
  mutationFn: (text: string) =>
    answer(
      api.POST('/api/layouts/{layout_id}/questions', {
        params: { path: { layout_id: combination.data.value!.layout_id } },
        body: { text, corner_id: null },
      }),
    ),
  onSettled: settled,
})
</script>

<template>
  <div class="top">
    <div>
      <h1>Corner clinic</h1>
      <CombinationSwitch :id="id" />
    </div>
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
    </p>
    <p class="links">
      <RouterLink :to="{ name: 'exercises' }">Exercises</RouterLink>
      <RouterLink :to="{ name: 'setups' }">Setups</RouterLink>
    </p>
  </div>
  <TroubleNote
    :error="clinic.error.value ?? combination.error.value ?? asked.error.value"
    :again="() => clinic.refetch()"
  />
  <SkeletonRows v-if="clinic.isPending.value" :rows="10" label="Looking the corners through" />
  <template v-if="shown">
    <section v-if="!shown.drivers.length || !shown.corners.length" class="sheet empty">
      <h2>Nothing to look through yet</h2>
      <p>Mistakes show in times of corners, or at least of sectors. With telemetry their causes are told too.</p>
      <v-btn color="primary" :to="{ name: 'add-laps', params: { id } }">Add laps</v-btn>
    </section>
    <template v-else>
      <section v-if="shown.shared.length" class="sheet part" aria-labelledby="shared">
        <h2 id="shared">A matter of the track book</h2>
        <ul>
          <li v-for="item in shown.shared" :key="item.corner + item.kind">
            {{ item.words }}
            <v-btn
              v-if="combination.data.value"
              size="small"
              variant="outlined"
              :loading="asked.isPending.value"
              @click="asked.mutate(item.words)"
              >Ask it there<span class="visually-hidden"> about {{ item.corner }}</span></v-btn
            >
          </li>
        </ul>
        <p v-if="asked.isSuccess.value" role="status">It stands among the open questions of the track book.</p>
      </section>
      <section class="sheet part" aria-labelledby="table">
        <h2 id="table">What corners cost a lap<AlsoNote /></h2>
        <div class="scroll-x" tabindex="0" role="group" aria-label="Corners by drivers">
          <table class="ledger">
            <thead>
              <tr>
                <th scope="col">{{ shown.depth === 'segments' ? 'Corner' : 'Sector' }}</th>
                <th v-for="driver in shown.drivers" :key="driver.id" scope="col" class="number">
                  <RouterLink :to="{ name: 'driver-clinic', params: { id, driver: driver.id }, query: route.query }">{{
                    driver.name
                  }}</RouterLink>
                </th>
                <th v-if="shown.drivers.length > 1" scope="col" class="number">All</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="corner in rows" :key="corner.code">
                <th scope="row">
                  <RouterLink
                    v-if="combination.data.value && corner.code !== 'L0' && shown.depth === 'segments'"
                    :to="{
                      name: 'corner',
                      params: { id: combination.data.value.layout_id, code: corner.code },
                      query: { car: combination.data.value.car_id },
                    }"
                    >{{ corner.code }}</RouterLink><template v-else>{{ corner.code }}</template>
                  <span class="quiet">{{ corner.name }}</span>
                </th>
                <td v-for="(cell, index) in corner.cells" :key="shown.drivers[index]?.id" class="number cell">
                  <template v-if="cell.cost_us > 0">
                    <span
                      class="bar"
                      :style="{ width: `${Math.max(3, (92 * cell.cost_us) / most)}%` }"
                      aria-hidden="true"
                    />
                    <span class="value">{{ (cell.cost_us / 1e6).toFixed(2) }}</span>
                    <span class="why">{{
                      cell.kinds.length ? cell.kinds.map((kind) => words[kind]).join(', ') : 'on every lap'
                    }}</span>
                  </template>
                  <span v-else-if="cell.slips" class="quiet few">{{ cell.slips }} of {{ cell.passes }}</span>
                  <span v-else class="quiet">–</span>
                </td>
                <td v-if="shown.drivers.length > 1" class="number">
                  {{ corner.all ? (corner.all / 1e6).toFixed(2) : '–' }}
                </td>
              </tr>
            </tbody>
            <tfoot>
              <tr>
                <th scope="row">Seconds a lap</th>
                <td v-for="driver in shown.drivers" :key="driver.id" class="number">{{ seconds(driver.cost_us) }}</td>
                <td v-if="shown.drivers.length > 1" />
              </tr>
            </tfoot>
          </table>
        </div>
        <p class="quiet">
          Recurring mistakes and standing losses, in seconds a lap. Small figures count single slips that are no more
          than chance.
        </p>
        <p v-for="pair in shown.together" :key="pair" class="quiet">{{ pair }}</p>
      </section>
      <section v-if="open.length" class="sheet part" aria-labelledby="work">
        <h2 id="work">{{ may('drivers.see_all') ? 'Who works on what' : 'What you work on' }}</h2>
        <div class="scroll-x" tabindex="0" role="group" aria-label="Exercises under way">
          <table class="ledger">
            <thead>
              <tr>
                <th scope="col">Driver</th>
                <th scope="col">At</th>
                <th scope="col">Exercise</th>
                <th scope="col">Where it stands</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="item in open" :key="item.id">
                <th scope="row">
                  <RouterLink
                    :to="{ name: 'driver-clinic', params: { id, driver: item.driver_id }, query: route.query }"
                    >{{ item.driver }}</RouterLink
                  >
                </th>
                <td>{{ item.corner }} {{ item.name }}: {{ item.kind_title }}</td>
                <td>{{ item.title }}</td>
                <td>{{ item.words }}</td>
              </tr>
            </tbody>
          </table>
        </div>
      </section>
    </template>
  </template>
</template>

<style scoped src="@/shared/theme/fix.css"></style>
<style scoped>
.part li {
  margin-bottom: 4px;
}
.cell {
  position: relative;
  width: 11%;
  min-width: 96px;
  vertical-align: top;
  padding-bottom: 6px !important;
}
.bar {
  position: absolute;
  right: 0;
  bottom: 1px;
  height: 3px;
  background: var(--loss);
}
.value {
  font-weight: 600;
}
.why {
  display: block;
  font-size: 0.78rem;
  line-height: 1.15;
  color: var(--quiet);
}
.few {
  font-size: 0.82rem;
}
tbody th,
tfoot th {
  white-space: nowrap;
}
</style>
