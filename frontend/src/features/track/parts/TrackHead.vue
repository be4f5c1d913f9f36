<script setup lang="ts">
import { computed } from 'vue'
import { RouterLink, useRoute, useRouter } from 'vue-router'
import type { Book } from '@/shared/api/client'
import { useMay } from '@/shared/session'

/** The head of a page of the track book: which layout, seen with which car, and the book's other pages. */
const props = defineProps<{ book?: Book; title: string }>()
const route = useRoute()
const router = useRouter()
const may = useMay()
const all = computed(() => may('track.boundaries'))
const query = computed(() => ({ car: route.query.car }))
function withCar(event: Event) {
  void router.replace({ query: { ...route.query, car: (event.target as HTMLSelectElement).value } })
}
function toLayout(event: Event) {
  const id = (event.target as HTMLSelectElement).value
  void router.push({ name: route.name === 'corner' ? 'track' : String(route.name), params: { id }, query: query.value })
}
</script>

<template>
  <div class="head">
    <h1>{{ title }}</h1>
    <nav v-if="book" class="tabs" aria-label="Pages of the track book">
      <RouterLink to="/tracks" exact-active-class="here">Tracks</RouterLink>
      <RouterLink
        :to="{ name: 'track', params: { id: book.id }, query }"
        :class="{ here: route.name === 'track' }"
        :aria-current="route.name === 'track' ? 'page' : undefined"
        >Layout</RouterLink
      >
      <RouterLink
        v-if="book.corners[0]"
        :to="{ name: 'corner', params: { id: book.id, code: book.corners[0].code }, query }"
        :class="{ here: route.name === 'corner' }"
        >Corners</RouterLink
      >
      <RouterLink :to="{ name: 'card', params: { id: book.id }, query }" :class="{ here: route.name === 'card' }"
        >Reading card</RouterLink
      >
      <RouterLink
        v-if="all"
        :to="{ name: 'boundaries', params: { id: book.id }, query }"
        :class="{ here: route.name === 'boundaries' }"
        >Boundaries</RouterLink
      >
    </nav>
    <div v-if="book" class="acts">
      <label v-if="props.book?.siblings.length"
        ><span class="visually-hidden">Another layout</span>
        <select :value="book.id" @change="toLayout">
          <option :value="book.id">{{ book.layout }}</option>
          <option v-for="item in book.siblings" :key="item.id" :value="item.id">{{ item.layout }}</option>
        </select>
      </label>
      <label v-if="book.cars.length && route.name !== 'boundaries'"
        >with
        <select :value="book.car_id ?? ''" aria-label="Seen with which car" @change="withCar">
          <option v-if="!book.car_id" value="">no car</option>
          <option v-for="car in book.cars" :key="car.id" :value="car.id">{{ car.name }}</option>
        </select></label
      >
      <slot />
    </div>
  </div>
</template>

<style scoped>
.head,
.acts {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 4px 18px;
}
.head {
  margin-bottom: 8px;
}
.acts {
  gap: 6px 12px;
  margin-left: auto;
}
.acts :deep(label) {
  display: flex;
  align-items: center;
  gap: 5px;
  max-width: 100%;
}
.acts :deep(select) {
  min-width: 0;
  max-width: 260px;
}
@media print {
  .acts {
    display: none;
  }
}
</style>
