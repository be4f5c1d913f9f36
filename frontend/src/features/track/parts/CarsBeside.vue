<script setup lang="ts">
import { computed, ref } from 'vue'
import { type Book } from '@/shared/api/client'
import { POINTS, useBook, VARIANTS } from '@/features/track/book'

/** What is confirmed of a corner for two cars, side by side. */
const props = defineProps<{ layout: string; book: Book; corner: string }>()
const beside = ref('')
const other = useBook(
  () => props.layout,
  () => beside.value || undefined,
)
const pairs = computed(() => {
  if (!beside.value || other.data.value?.car_id !== beside.value) return []
  const of = (list: Book | undefined) =>
    (list?.references ?? []).filter(
      (item) => item.corner_id === props.corner && item.shown === 'standing' && item.state === 'confirmed',
    )
  const keys = new Map<
    string,
    { point: keyof typeof POINTS; variant: keyof typeof VARIANTS; left: string[]; right: string[] }
  >()
  for (const [side, list] of [
    ['left', of(props.book)],
    ['right', of(other.data.value)],
  ] as const) {
    for (const item of list) {
      const key = `${Object.keys(POINTS).indexOf(item.point)} ${item.variant}`
      const row = keys.get(key) ?? { point: item.point, variant: item.variant, left: [], right: [] }
      row[side].push(item.words + (item.driver ? ` (${item.driver})` : ''))
      keys.set(key, row)
    }
  }
  return [...keys].sort(([a], [b]) => a.localeCompare(b)).map(([, row]) => row)
})
const carName = (id: string | null | undefined) => props.book.cars.find((item) => item.id === id)?.name ?? 'no car'
</script>

<template>
  <section class="sheet part" aria-labelledby="beside-title">
    <div class="line">
      <h2 id="beside-title">Two cars side by side</h2>
      <label
        >{{ carName(book.car_id) }} and
        <select v-model="beside" aria-label="The other car">
          <option value="">choose …</option>
          <option v-for="item in book.cars.filter((one) => one.id !== book.car_id)" :key="item.id" :value="item.id">
            {{ item.name }}
          </option>
        </select></label
      >
    </div>
    <p v-if="beside && !pairs.length && !other.isFetching.value" class="quiet">Nothing is confirmed for either.</p>
    <div v-if="pairs.length" class="scroll-x" tabindex="0" role="region" aria-label="What is confirmed for either car">
      <table class="ledger">
        <thead>
          <tr>
            <th scope="col">For</th>
            <th scope="col">{{ carName(book.car_id) }}</th>
            <th scope="col">{{ carName(beside) }}</th>
          </tr>
        </thead>
        <tbody>
          <tr
            v-for="row in pairs"
            :key="row.point + row.variant"
            :class="{ same: row.left.join() === row.right.join() }"
          >
            <th scope="row">
              {{ POINTS[row.point].title
              }}<template v-if="row.variant !== 'usual'">, {{ VARIANTS[row.variant] }}</template>
            </th>
            <td>{{ row.left.join('; ') || '–' }}</td>
            <td>{{ row.right.join('; ') || '–' }}</td>
          </tr>
        </tbody>
      </table>
    </div>
  </section>
</template>

<style scoped src="@/features/track/corner.css"></style>
