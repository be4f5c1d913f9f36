<script setup lang="ts">
import { ALSO, useAlso, type Also } from '@/features/find/look'

/** What counts along though it doesn't by default; only what there is, and what is on. */
const props = defineProps<{ countable?: Record<string, number> }>()
const also = useAlso()
const there = (name: Also) => also.value.includes(name) || (props.countable?.[name] ?? 0) > 0
function turn(name: Also, event: Event) {
  const on = (event.target as HTMLInputElement).checked
  also.value = on ? [...also.value, name] : also.value.filter((item) => item !== name)
}
</script>

<template>
  <fieldset v-if="(Object.keys(ALSO) as Also[]).some(there)" class="switches">
    <legend>Count along:</legend>
    <template v-for="(words, name) in ALSO" :key="name">
      <label v-if="there(name)"
        ><input type="checkbox" :checked="also.includes(name)" @change="turn(name, $event)" /> {{ words
        }}<span v-if="countable?.[name]" class="quiet"> ({{ countable[name] }})</span></label
      >
    </template>
  </fieldset>
</template>

<style scoped>
.switches {
  display: inline-flex;
  flex-wrap: wrap;
  gap: 0 12px;
  border: 0;
  padding: 0;
}
legend {
  float: left;
  padding: 0;
  color: var(--quiet);
}
</style>
