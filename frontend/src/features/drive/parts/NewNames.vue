<script setup lang="ts">
import { type Preview } from '@/shared/api/client'
import { count } from '@/shared/format'

/** Names of a file that nobody in the team has: added, added as guests, told to be somebody, or left out. */
defineProps<{
  seen: Preview
  drivers: { id: string; name: string }[] | undefined
  all: boolean
  busy: boolean
  decided: (name: string) => string
  lapsOf: (name: string) => number
}>()
const emit = defineEmits<{ decide: [name: string, what: string] }>()
</script>

<template>
  <section class="sheet block" aria-labelledby="drivers-title">
    <h2 id="drivers-title">New names</h2>
    <p class="quiet">
      Nobody in the team is called so yet. A guest’s laps are for comparison only; another spelling of somebody’s name
      is known from then on.
    </p>
    <p v-for="name in seen.unknown_drivers" :key="name" class="who">
      <label
        >{{ name }} <span class="quiet">({{ count(lapsOf(name), 'lap') }})</span>
        <select
          :value="decided(name)"
          :disabled="busy"
          @change="emit('decide', name, ($event.target as HTMLSelectElement).value)"
        >
          <template v-if="all"
            ><option value="add">add to the team</option>
            <option value="guest">add as a guest</option></template
          >
          <option value="out">leave out</option>
          <option v-for="item in drivers" :key="item.id" :value="item.id">is {{ item.name }}</option>
        </select>
      </label>
    </p>
  </section>
</template>

<style scoped src="@/features/drive/laps-in.css"></style>
