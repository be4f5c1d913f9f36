<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { RouterLink, useRoute } from 'vue-router'
import { answer, api } from '@/shared/api/client'
import { useWeek } from '@/features/find/look'
import SkeletonRows from '@/shared/parts/SkeletonRows.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import { useCombination } from '@/shared/queries'

/** At most three sentences, three references and three exercises: for beside the wheel, for a phone, and for a chat. */
const props = defineProps<{ id: string; driver: string }>()
const route = useRoute()
const combination = useCombination(() => props.id)
const { week } = useWeek(() => combination.data.value?.weeks ?? [])
const card = useQuery({
  enabled: () => Boolean(combination.data.value),
  queryKey: ['card-of-three', () => props.id, () => props.driver, week, []],
  queryFn: () =>
    answer(
      api.GET('/api/combinations/{combination_id}/drivers/{driver_id}/card', {
        params: { path: { combination_id: props.id, driver_id: props.driver }, query: { week: week.value } },
      }),
    ),
})
const shown = computed(() => card.data.value)
const told = ref('')
async function copy() {
  try {
    await navigator.clipboard.writeText(shown.value?.text ?? '')
    told.value = 'Copied.'
  } catch {
    told.value = 'The browser doesn’t let this page copy. Mark the text below instead.'
  }
}
</script>

<template>
  <div class="top">
    <div>
      <h1>Card of three</h1>
      <p v-if="shown" class="quiet">
        <RouterLink :to="{ name: 'driver-clinic', params: { id, driver }, query: route.query }">{{
          shown.driver
        }}</RouterLink>
        · {{ shown.place }}, {{ shown.car }}
      </p>
    </div>
    <v-btn v-if="shown" variant="outlined" size="small" @click="copy">Copy for a chat</v-btn>
  </div>
  <p role="status" class="quiet">{{ told }}</p>
  <TroubleNote :error="card.error.value" :again="() => card.refetch()" />
  <SkeletonRows v-if="card.isPending.value" :rows="6" label="Writing the card" />
  <template v-if="shown">
    <section v-if="!shown.items.length" class="sheet empty">
      <h2>Nothing for the card yet</h2>
      <p>Nothing recurs, and nothing is lost on every lap. Long runs show more.</p>
    </section>
    <ol class="cards">
      <li v-for="(item, index) in shown.items" :key="item.corner + item.kind" class="sheet item">
        <h2>
          <span class="rank">{{ index + 1 }}</span> {{ item.corner }} {{ item.name }}
        </h2>
        <p class="words">{{ item.words }}</p>
        <p><b>Go by:</b> {{ item.reference ?? 'nothing confirmed yet; ask for it in the track book.' }}</p>
        <p>{{ item.exercise }}</p>
        <p class="quiet">Passed with {{ item.mark }}.{{ item.assigned ? ` ${item.assigned.words}` : '' }}</p>
      </li>
    </ol>
    <details v-if="shown.items.length" class="sheet plain">
      <summary>As plain text</summary>
      <pre tabindex="0" aria-label="The card as plain text">{{ shown.text }}</pre>
    </details>
    <p class="quiet">
      References and lines from a simulation are no guide for a real car or a real road: there the circuit’s rules,
      licensed instructors and the law decide. Pause after fifty minutes.
    </p>
  </template>
</template>

<style scoped src="@/shared/theme/fix.css"></style>
<style scoped>
.cards {
  list-style: none;
  padding: 0;
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(270px, 1fr));
  gap: 12px;
  margin: 8px 0 12px;
}
.item,
.plain {
  padding: 10px 14px 14px;
}
.item p {
  margin-top: 6px;
}
.rank {
  display: inline-block;
  min-width: 1.2em;
  color: var(--accent);
}
pre {
  white-space: pre-wrap;
  font: 0.9rem/1.4 var(--sans);
}
</style>
