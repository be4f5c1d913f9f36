<script setup lang="ts">
import { computed, ref } from 'vue'
import WorkButton from '@/shared/parts/WorkButton.vue'
import { useProfiles } from '@/shared/queries'

/** Who the drivers of a file are, where the team doesn't know them by these names. */
const props = defineProps<{ names: string[] }>()
const emit = defineEmits<{ said: [names: Record<string, string>] }>()
const drivers = useProfiles()
const chosen = ref<Record<string, string>>({})
const told = computed(() =>
  Object.fromEntries(Object.entries(chosen.value).filter(([name, driver]) => driver && props.names.includes(name))),
)
</script>

<template>
  <p class="needs">The team has nobody called {{ names.join(', ') }}. Say who it is, and the file is read again.</p>
  <p v-for="name in names" :key="name" class="who">
    <label
      >{{ name }} is
      <select v-model="chosen[name]">
        <option value="">not one of ours</option>
        <option v-for="driver in drivers.data.value?.items" :key="driver.id" :value="driver.name">
          {{ driver.name }}
        </option>
      </select></label
    >
  </p>
  <WorkButton size="small" color="primary" :disabled="!Object.keys(told).length" @click="emit('said', told)"
    >Read it with these names</WorkButton
  >
</template>

<style scoped>
.needs {
  border-left: 4px solid var(--ochre);
  padding-left: 10px;
  margin: 6px 0;
}
.who {
  margin: 4px 0;
}
</style>
