<script setup lang="ts">
import type { SectorDraft } from '@/features/track/boundaries'

/** Where the sectors of a lap begin; the first one at the line. What else may be done stands in the slots. */
const sectors = defineModel<SectorDraft[]>({ required: true })
</script>

<template>
  <p class="sectors">
    <span v-for="(sector, index) in sectors" :key="index"
      ><input
        v-model="sector.code"
        class="field"
        size="4"
        maxlength="120"
        :aria-label="`Code of sector ${index + 1}`"
      />
      from
      <input
        v-model="sector.start"
        v-reads
        class="field"
        size="7"
        inputmode="decimal"
        :disabled="!index"
        :aria-label="`Sector ${index + 1} starts at, m`"
      />
      m
      <slot name="behind" :index="index" />
    </span>
    <slot />
  </p>
</template>

<style scoped>
.sectors {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 18px;
  align-items: center;
  margin-top: 8px;
}
</style>
