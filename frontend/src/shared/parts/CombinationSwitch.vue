<script setup lang="ts">
import { watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { rememberCombination } from '@/shared/recent'
import { useCombinations } from '@/shared/queries'

const props = defineProps<{ id: string }>()
const route = useRoute()
const router = useRouter()
const list = useCombinations()
watch(() => props.id, rememberCombination, { immediate: true })

function go(event: Event) {
  const id = (event.target as HTMLSelectElement).value
  void router.push({ name: String(route.name), params: { id } })
}
</script>

<template>
  <label v-if="(list.data.value?.items.length ?? 0) > 1" class="switch">
    <span class="visually-hidden">Another combination</span>
    <select :value="id" @change="go">
      <option v-for="item in list.data.value?.items" :key="item.id" :value="item.id">
        {{ item.track }}, {{ item.layout }} · {{ item.car }}
      </option>
    </select>
  </label>
</template>

<style scoped>
.switch {
  /* A long name must not push the rest away. */
  max-width: 190px;
  min-width: 0;
}
select {
  appearance: auto;
  width: 100%;
  padding: 3px 6px;
  border: 1px solid var(--quiet);
  border-radius: 3px;
  background: var(--sheet);
  color: var(--ink);
  font: inherit;
}
@media print {
  .switch {
    display: none;
  }
}
</style>
