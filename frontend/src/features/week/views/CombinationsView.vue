<script setup lang="ts">
import { RouterLink } from 'vue-router'
import { count, length } from '@/shared/format'
import WeekHead from '@/features/week/parts/WeekHead.vue'
import SkeletonRows from '@/shared/parts/SkeletonRows.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import { useMay } from '@/shared/session'
import { useCombinations } from '@/shared/queries'

const may = useMay()
const list = useCombinations()
</script>

<template>
  <WeekHead title="Combinations">
    <v-btn v-if="may('combination.add')" variant="outlined" color="primary" :to="{ name: 'new-combination' }"
      >New combination</v-btn
    >
  </WeekHead>
  <SkeletonRows v-if="list.isPending.value" :rows="8" label="Loading the combinations" />
  <TroubleNote :error="list.error.value" :again="() => list.refetch()" />
  <template v-if="list.data.value">
    <section v-if="!list.data.value.items.length" class="sheet empty">
      <h2>No combination yet</h2>
      <p v-if="may('combination.add')">
        A combination is a car on a track. Start with the track's file, name the car, then add the laps your team has
        driven.
      </p>
      <p v-else>
        A combination is a car on a track. Your manager or coach makes them; once there is one, it stands here.
      </p>
      <v-btn v-if="may('combination.add')" color="primary" :to="{ name: 'new-combination' }">New combination</v-btn>
    </section>
    <div v-else class="scroll-x sheet" tabindex="0" role="region" aria-label="Combinations">
      <table class="ledger">
        <thead>
          <tr>
            <th scope="col">Track</th>
            <th scope="col">Car</th>
            <th scope="col" class="number">Length</th>
            <th v-if="may('drivers.see_all')" scope="col" class="number">Drivers</th>
            <th scope="col" class="number">{{ may('drivers.see_all') ? 'Laps' : 'Your laps' }}</th>
            <th scope="col"><span class="visually-hidden">Actions</span></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="item in list.data.value.items" :key="item.id">
            <td>
              <RouterLink :to="{ name: 'combination', params: { id: item.id } }"
                >{{ item.track }}, {{ item.layout }}</RouterLink
              >
            </td>
            <td>{{ item.car }}</td>
            <td class="number">{{ length(item.length_m) }}</td>
            <td v-if="may('drivers.see_all')" class="number">{{ item.drivers.length }}</td>
            <td class="number">{{ item.laps.toLocaleString('en') }}</td>
            <td>
              <RouterLink :to="{ name: 'add-laps', params: { id: item.id } }"
                >Add laps<span class="visually-hidden"> to {{ item.track }}, {{ item.car }}</span></RouterLink
              >
            </td>
          </tr>
        </tbody>
      </table>
    </div>
    <p v-if="list.data.value.items.length" class="quiet note">
      {{ count(list.data.value.items.length, 'combination') }}, the newest first.
    </p>
  </template>
</template>

<style scoped></style>
