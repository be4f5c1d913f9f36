<script setup lang="ts" generic="Row extends { key: string; words: string; told?: boolean }">
/** Figures each on a line of its own: a small drawing, and beside it what it says. */
defineProps<{ rows: Row[] }>()
defineSlots<{ default(props: { row: Row; width: number }): unknown }>()
const WIDTH = 220
</script>

<template>
  <ul class="plain">
    <li v-for="row in rows" :key="row.key" :class="{ told: row.told }">
      <svg :viewBox="`0 0 ${WIDTH} 22`" :width="WIDTH" height="22" aria-hidden="true">
        <slot :row="row" :width="WIDTH" />
      </svg>
      <span class="words">{{ row.words }}</span>
    </li>
  </ul>
</template>

<style scoped>
li {
  justify-content: flex-start;
}
.words {
  flex: 1 1 260px;
}
.told {
  border-left: 3px solid var(--ochre);
  padding-left: 8px;
}
</style>
