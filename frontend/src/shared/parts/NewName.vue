<script setup lang="ts">
import WorkButton from '@/shared/parts/WorkButton.vue'

/** A field for the name of something new, such as a car, and the button that adds it. */
defineProps<{ what: string; busy: boolean }>()
const emit = defineEmits<{ add: [name: string] }>()
const name = defineModel<string>({ default: '' })
</script>

<template>
  <form v-draft="`new ${what}`" @submit.prevent="emit('add', name)">
    <input
      v-model="name"
      class="field"
      :aria-label="`Name of a new ${what}`"
      :placeholder="`New ${what}`"
      maxlength="120"
    />
    <WorkButton size="small" type="submit" variant="outlined" color="primary" :disabled="!name.trim()" :loading="busy"
      >Add</WorkButton
    >
  </form>
</template>

<style scoped>
form {
  display: flex;
  align-items: center;
  gap: 6px;
}
</style>
