<script setup lang="ts">
import { RouterLink } from 'vue-router'
import type { Board } from '@/shared/api/client'
import { plainDay } from '@/shared/format'

defineProps<{ board: Board }>()
</script>

<template>
  <section aria-labelledby="coming-title">
    <h2 id="coming-title">The coming four weeks</h2>
    <ol>
      <li v-for="step in board.coming" :key="step.day" class="sheet">
        <h3>{{ plainDay(step.weeks[0]?.begins_at ?? step.day) }}</h3>
        <p v-if="!step.weeks.length" class="quiet">Nothing in the calendar.</p>
        <p v-for="week in step.weeks" :key="week.week_id">
          <RouterLink
            :to="{ name: 'series-week', params: { id: week.week_id } }"
            :title="`${week.series}, ${week.cars}`"
            >{{ week.place || week.series }}</RouterLink
          >
          <span class="quiet"> · {{ week.words }}</span>
        </p>
      </li>
    </ol>
  </section>
</template>

<style scoped>
h2 {
  font-size: 1rem;
  margin-bottom: 3px;
}
h3 {
  font-family: var(--sans);
  font-size: 0.85rem;
  font-weight: 600;
}
ol {
  list-style: none;
  padding: 0;
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(min(100%, 240px), 1fr));
  gap: 8px;
}
li {
  padding: 4px 9px 6px;
  font-size: 0.84rem;
  line-height: 1.25;
}
li p {
  margin-top: 1px;
}
</style>
