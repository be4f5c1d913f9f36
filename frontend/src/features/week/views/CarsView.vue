<script setup lang="ts">
import { useMutation, useQueryClient } from '@tanstack/vue-query'
import { RouterLink, useRouter } from 'vue-router'
import { answer, api } from '@/shared/api/client'
import WeekHead from '@/features/week/parts/WeekHead.vue'
import NewName from '@/shared/parts/NewName.vue'
import SkeletonRows from '@/shared/parts/SkeletonRows.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import { useMay } from '@/shared/session'
import { useCars } from '@/shared/queries'

const queries = useQueryClient()
const router = useRouter()
const may = useMay()
const list = useCars()
const add = useMutation({
  mutationFn: (name: string) => answer(api.POST('/api/cars', { body: { name } })),
  onSuccess: (made) => router.push({ name: 'car', params: { id: made.id } }),
  onSettled: () =>
    Promise.all(['cars', 'steps', 'history'].map((key) => queries.invalidateQueries({ queryKey: [key] }))),
})
</script>

<template>
  <WeekHead title="Cars">
    <NewName v-if="may('car.add')" class="right" what="car" :busy="add.isPending.value" @add="add.mutate($event)" />
  </WeekHead>
  <SkeletonRows v-if="list.isPending.value" :rows="6" label="Loading the cars" />
  <TroubleNote :error="list.error.value ?? add.error.value" />
  <section v-if="list.data.value && !list.data.value.items.length" class="sheet empty">
    <h2>No car yet</h2>
    <p>Cars come with seasons and combinations, or by hand here.</p>
  </section>
  <div v-else-if="list.data.value" class="scroll-x sheet" tabindex="0" role="region" aria-label="Cars">
    <table class="ledger">
      <thead>
        <tr>
          <th scope="col">Car</th>
          <th scope="col">Class</th>
          <th scope="col">Drive</th>
          <th scope="col">How it is</th>
          <th scope="col">Who may drive it</th>
          <th scope="col" class="number">Combinations</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="item in list.data.value.items" :key="item.id">
          <td>
            <RouterLink :to="{ name: 'car', params: { id: item.id } }">{{ item.name }}</RouterLink>
          </td>
          <td>{{ item.car_class }}</td>
          <td>{{ item.drive }}</td>
          <td>{{ item.traits.join(' ') }}</td>
          <td>{{ item.restricted ? `${item.drivers} drivers` : 'all' }}</td>
          <td class="number">{{ item.combinations }}</td>
        </tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.right {
  margin-left: auto;
}
</style>
