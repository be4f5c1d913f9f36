<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { answer, api } from '@/shared/api/client'
import TroubleNote from '@/shared/parts/TroubleNote.vue'

/** What differs between two versions of a setup. */
const props = defineProps<{ setup: string; first: number; second: number }>()
const difference = useQuery({
  queryKey: ['setups', 'difference', () => props.setup, () => props.first, () => props.second],
  queryFn: () =>
    answer(
      api.GET('/api/setups/{setup_id}/difference', {
        params: { path: { setup_id: props.setup }, query: { first: props.first, second: props.second } },
      }),
    ),
})
const plain = (value: string | null) => value ?? '–'
const by = (value: number | null) => (value === null ? '' : `${value > 0 ? '+' : '−'}${Math.abs(value)}`)
</script>

<template>
  <section class="sheet part" aria-labelledby="difference">
    <h2 id="difference">Version {{ first }} beside {{ second }}</h2>
    <TroubleNote :error="difference.error.value" />
    <p v-if="difference.data.value && !difference.data.value.items.length">No value differs.</p>
    <table v-if="difference.data.value?.items.length" class="ledger">
      <thead>
        <tr>
          <th scope="col">What differs</th>
          <th scope="col" class="number">{{ first }}</th>
          <th scope="col" class="number">{{ second }}</th>
          <th scope="col" class="number">By</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="item in difference.data.value.items" :key="item.name + item.corner">
          <th scope="row">
            {{ item.name }}{{ item.corner ? ` at ${item.corner}` : '' }}{{ item.unit ? `, ${item.unit}` : '' }}
          </th>
          <td class="number">{{ plain(item.before) }}</td>
          <td class="number">{{ plain(item.after) }}</td>
          <td class="number">{{ by(item.by) }}</td>
        </tr>
      </tbody>
    </table>
  </section>
</template>

<style scoped src="@/shared/theme/fix.css"></style>
