<script setup lang="ts">
import { computed } from 'vue'
import type { Preview } from '@/shared/api/client'
import { lapTime } from '@/shared/format'

/** The first laps of a file as they were read, to be compared with it by eye. */
const props = defineProps<{ seen: Preview }>()
const codes = computed(() => Object.keys({ ...props.seen.sample[0]?.sectors, ...props.seen.sample[0]?.segments }))
</script>

<template>
  <div class="scroll-x" tabindex="0" role="region" aria-label="The first laps">
    <table class="ledger">
      <thead>
        <tr>
          <th scope="col">Driver</th>
          <th scope="col">Session</th>
          <th scope="col" class="number">Run</th>
          <th scope="col" class="number">Lap</th>
          <th scope="col">Kind</th>
          <th scope="col" class="number">Time</th>
          <th v-for="code in codes" :key="code" scope="col" class="number">{{ code }}</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="(lap, index) in seen.sample" :key="index">
          <td>{{ lap.driver }}</td>
          <td>{{ lap.session }}</td>
          <td class="number">{{ lap.run }}</td>
          <td class="number">{{ lap.number }}</td>
          <td>{{ lap.kind }}</td>
          <td class="number">{{ lapTime(lap.time_us) }}</td>
          <td v-for="code in codes" :key="code" class="number">
            {{ lapTime({ ...lap.sectors, ...lap.segments }[code]) }}
          </td>
        </tr>
      </tbody>
    </table>
  </div>
</template>
