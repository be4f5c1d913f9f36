<script setup lang="ts">
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { RouterLink, useRoute } from 'vue-router'
import { answer, api } from '@/shared/api/client'
import { gap, lapTime } from '@/shared/format'
import PictureFrame from '@/shared/charts/PictureFrame.vue'
import { useAlso, useAskedWeek } from '@/features/find/look'
import AlsoNote from '@/features/find/parts/AlsoNote.vue'
import SharePart from '@/features/find/parts/SharePart.vue'
import PartDetail from '@/features/find/parts/PartDetail.vue'
import SwitchesPart from '@/features/find/parts/SwitchesPart.vue'
import SkeletonRows from '@/shared/parts/SkeletonRows.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import { useCombination } from '@/shared/queries'

/** Segments by drivers: how far each is behind the team's best reference, and how much of that is more than usual. */
const props = defineProps<{ id: string }>()
const route = useRoute()
const week = useAskedWeek()
const also = useAlso()
const combination = useCombination(() => props.id)
const beside = useQuery({
  queryKey: ['analysis', () => props.id, 'beside', week, also],
  placeholderData: keepPreviousData,
  queryFn: () =>
    answer(
      api.GET('/api/combinations/{combination_id}/beside', {
        params: { path: { combination_id: props.id }, query: { week: week.value, also: also.value } },
      }),
    ),
})
const shown = computed(() => beside.data.value)
const opened = ref('')
const by = ref<'excess_us' | 'behind_us'>('excess_us')
const most = computed(() =>
  Math.max(
    1,
    ...(shown.value?.parts ?? []).flatMap((part) => part.cells.map((cell) => Math.abs(cell?.[by.value] ?? 0))),
  ),
)
/** Loss goes to the right of the middle, gain to the left: neither is told by colour alone. */
const bar = (value: number) => ({ width: `${Math.min(46, (46 * Math.abs(value)) / most.value)}%` })
</script>

<template>
  <div class="top">
    <div>
      <h1>Drivers side by side</h1>
      <p v-if="combination.data.value" class="quiet">
        <RouterLink :to="{ name: 'combination', params: { id }, query: route.query }"
          >{{ combination.data.value.track }}, {{ combination.data.value.layout }},
          {{ combination.data.value.car }}</RouterLink
        >
      </p>
    </div>
    <fieldset v-if="shown?.parts.length">
      <legend class="visually-hidden">What the cells show</legend>
      <label><input v-model="by" type="radio" value="excess_us" /> more than usual</label>
      <label><input v-model="by" type="radio" value="behind_us" /> behind the best</label>
    </fieldset>
    <SharePart
      v-if="shown?.parts.length"
      :id="id"
      :week="week"
      :tables="[{ what: 'beside', words: 'Segments by drivers' }]"
    />
  </div>
  <SwitchesPart :countable="shown?.countable" />
  <TroubleNote :error="beside.error.value ?? combination.error.value" :again="() => beside.refetch()" />
  <SkeletonRows v-if="beside.isPending.value" :rows="10" label="Laying the drivers beside each other" />
  <template v-if="shown">
    <section v-if="!shown.parts.length || !shown.drivers.length" class="sheet empty">
      <h2>Nothing to lay side by side yet</h2>
      <p>Laps with segment times are needed here: from a lap file that has them, or from telemetry.</p>
      <v-btn color="primary" :to="{ name: 'add-laps', params: { id } }">Add laps</v-btn>
    </section>
    <template v-else>
      <section v-if="shown.pairs.length" class="sheet part" aria-labelledby="pairs">
        <h2 id="pairs">Who could show whom</h2>
        <ul>
          <li v-for="pair in shown.pairs" :key="pair.learner">{{ pair.words }}</li>
        </ul>
      </section>
      <section class="sheet part" aria-labelledby="table">
        <h2 id="table">
          {{
            by === 'excess_us' ? 'Beyond each driver’s usual distance to the best' : 'Behind the team’s best reference'
          }}<AlsoNote />
        </h2>
        <PictureFrame name="drivers side by side"
          ><div class="scroll-x" tabindex="0" role="group" aria-label="Segments by drivers">
            <table class="ledger">
              <thead>
                <tr>
                  <th scope="col">Part</th>
                  <th scope="col" class="number">Best</th>
                  <th v-for="driver in shown.drivers" :key="driver.id" scope="col" class="number">
                    <RouterLink :to="{ name: 'driver-pace', params: { id, driver: driver.id }, query: route.query }">{{
                      driver.name
                    }}</RouterLink><template v-if="driver.guest"> (guest)</template>
                  </th>
                </tr>
              </thead>
              <tbody>
                <template v-for="part in shown.parts" :key="part.code">
                  <tr>
                    <th scope="row">
                      <button
                        type="button"
                        class="open"
                        :aria-expanded="opened === part.code"
                        :aria-label="`What is done at ${part.code}`"
                        @click="opened = opened === part.code ? '' : part.code"
                      >
                        {{ opened === part.code ? '▾' : '▸' }}
                      </button>
                      <RouterLink
                        v-if="combination.data.value && part.code !== 'L0'"
                        :to="{
                          name: 'corner',
                          params: { id: combination.data.value.layout_id, code: part.code },
                          query: { car: combination.data.value.car_id },
                        }"
                        >{{ part.code }}</RouterLink><template v-else>{{ part.code }}</template>
                      <span class="quiet">{{ part.name }}</span>
                    </th>
                    <td class="number time">
                      {{ lapTime(part.best_us)
                      }}<span v-if="part.owner" class="visually-hidden">, {{ part.owner }}</span>
                    </td>
                    <td
                      v-for="(cell, index) in part.cells"
                      :key="shown.drivers[index]?.id"
                      class="number cell"
                      :class="{ owner: part.owner === shown.drivers[index]?.name }"
                    >
                      <template v-if="cell">
                        <span class="bar" :class="{ back: cell[by] < 0 }" :style="bar(cell[by])" aria-hidden="true" />
                        <span class="value"
                          >{{ part.owner === shown.drivers[index]?.name && by === 'behind_us' ? 'best' : gap(cell[by])
                          }}<span v-if="cell.candidate" title="from fewer than 5 passes"
                            >?<span class="visually-hidden"> from few passes</span></span
                          ></span
                        >
                      </template>
                      <template v-else>–</template>
                    </td>
                  </tr>
                  <tr v-if="opened === part.code && combination.data.value">
                    <td :colspan="shown.drivers.length + 2">
                      <PartDetail
                        :id="id"
                        :layout="combination.data.value.layout_id"
                        :car="combination.data.value.car_id"
                        :code="part.code"
                        :name="part.name"
                        :start="part.start_m"
                        :end="part.end_m"
                        :owner="part.owner"
                        :drivers="shown.drivers.map((driver) => driver.name)"
                      />
                    </td>
                  </tr>
                </template>
              </tbody>
              <tfoot>
                <tr>
                  <th scope="row" colspan="2">Usual distance to the best</th>
                  <td v-for="driver in shown.drivers" :key="driver.id" class="number">
                    {{ (driver.usual * 100).toFixed(2) }} %
                  </td>
                </tr>
              </tfoot>
            </table>
          </div></PictureFrame
        >
        <p class="quiet">
          Times are references: the median of the best third of a driver’s passes. A frame marks whose part is the best.
          A driver who is slower everywhere is so as a rule; what stands out beyond that is what another could show.
        </p>
        <p v-for="words in shown.together" :key="words" class="quiet">{{ words }}</p>
      </section>
    </template>
  </template>
</template>

<style scoped>
.top {
  display: flex;
  flex-wrap: wrap;
  justify-content: space-between;
  align-items: end;
  gap: 4px 20px;
  margin-bottom: 8px;
}
fieldset {
  border: 0;
  padding: 0;
  display: flex;
  gap: 14px;
}
.part {
  padding: 10px 14px 14px;
  margin-bottom: 12px;
}
.part ul {
  padding-left: 18px;
}
.scroll-x {
  overflow-x: auto;
}
.number {
  text-align: right;
}
tbody th,
tfoot th {
  font-weight: 400;
  font-size: inherit !important;
  color: inherit !important;
  border-bottom: 1px solid var(--rule) !important;
  white-space: nowrap;
}
.open {
  width: 22px;
  height: 24px;
  color: var(--accent);
}
.cell {
  position: relative;
  min-width: 84px;
}
.bar {
  position: absolute;
  left: 50%;
  bottom: 2px;
  height: 4px;
  background: var(--loss);
}
.bar.back {
  left: auto;
  right: 50%;
  background: var(--accent);
}
.value {
  position: relative;
}
.owner {
  box-shadow: inset 0 0 0 1.5px var(--ink);
}
</style>
