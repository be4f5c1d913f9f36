<script setup lang="ts">
import { computed, ref } from 'vue'
import { useAssign, useLibrary, type Kind } from '@/features/fix/clinic'

/** Give a driver an exercise for a mistake: the library's own for its kind first. */
const props = defineProps<{ id: string; driver: string; corner: string; kind: Kind }>()
const { library } = useLibrary()
const fitting = computed(() => {
  const items = library.data.value?.items ?? []
  const own = items.filter((item) => item.kind === props.kind)
  return own.length ? own : items.filter((item) => item.kind === 'other')
})
const chosen = ref('')
const code = computed(() => chosen.value || fitting.value[0]?.code || '')
const assign = useAssign(() => props.id)
</script>

<template>
  <span class="assign">
    <template v-if="fitting.length">
      <label v-if="fitting.length > 1"
        ><span class="visually-hidden">Exercise for {{ corner }}</span>
        <select v-model="chosen">
          <option value="">{{ fitting[0]!.title }}</option>
          <option v-for="item in fitting.slice(1)" :key="item.code" :value="item.code">{{ item.title }}</option>
        </select>
      </label>
      <span v-else class="quiet">{{ fitting[0]!.title }}</span>
      <v-btn
        size="small"
        variant="outlined"
        :loading="assign.isPending.value"
        @click="assign.mutate({ driver, corner, kind, exercise: code })"
        >Give the exercise<span class="visually-hidden"> for {{ corner }}</span></v-btn
      >
    </template>
    <span v-if="assign.error.value" role="alert" class="trouble">{{ assign.error.value.message }}</span>
  </span>
</template>

<style scoped>
.assign {
  display: inline-flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 4px 8px;
}
.trouble {
  color: var(--loss);
}
</style>
