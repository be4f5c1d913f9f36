<script setup lang="ts">
/** A number of a rule, where it stands in a table. */
withDefaults(defineProps<{ label?: string; min?: number; max?: number; step?: number | 'any' }>(), {
  label: undefined,
  min: 0,
  max: undefined,
  step: 'any',
})
const value = defineModel<number>({ required: true })
</script>

<template>
  <input
    v-model.number="value"
    class="field"
    type="number"
    :min="min"
    :max="max"
    :step="step"
    required
    :aria-label="label"
  />
</template>

<style scoped>
input {
  width: 84px;
}
</style>
