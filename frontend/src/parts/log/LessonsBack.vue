<script setup lang="ts">
import { computed, useId } from 'vue'
import { RouterLink } from 'vue-router'
import { ties, useLessonsOfWeek } from '@/log'

/** What was learned before and comes back in a week, since its track, car, series or drivers do. Nothing where nothing does. */
const props = defineProps<{ week: string }>()
const asked = useLessonsOfWeek(() => props.week)
const items = computed(() => asked.data.value?.items ?? [])
const title = useId()
</script>

<template>
  <section v-if="items.length" class="sheet part" :aria-labelledby="title">
    <h2 :id="title">Learned before</h2>
    <ul><li v-for="item in items" :key="item.id">{{ item.text }} <span class="quiet">{{ ties(item) }}</span></li></ul>
    <p><RouterLink to="/log/learned">All that was learned</RouterLink></p>
  </section>
</template>

<style scoped>
ul {
  padding-left: 18px;
}
.part {
  margin-bottom: 12px;
}
</style>
