<script setup lang="ts">
import { computed } from 'vue'
import { RouterLink } from 'vue-router'
import LogLinks from '@/features/log/parts/LogLinks.vue'
import SkeletonRows from '@/shared/parts/SkeletonRows.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import { useMay, useMe } from '@/shared/session'
import { useProfiles } from '@/shared/queries'

/** Whose season there is to be opened. */
const me = useMe()
const may = useMay()
const asked = useProfiles()
const items = computed(() =>
  (asked.data.value?.items ?? []).filter((item) => may('drivers.see_all') || item.id === me.data.value?.driver_id),
)
</script>

<template>
  <div class="top">
    <h1>Seasons of drivers</h1>
    <LogLinks />
  </div>
  <TroubleNote :error="asked.error.value" :again="() => asked.refetch()" />
  <SkeletonRows v-if="asked.isPending.value" :rows="6" label="Fetching the drivers" />
  <p v-else-if="!items.length" class="quiet">
    No driver of whom you may see the season. A manager says under People which driver you are.
  </p>
  <ul v-else class="plain sheet list">
    <li v-for="item in items" :key="item.id">
      <RouterLink :to="{ name: 'book', params: { driver: item.id } }">{{ item.name }}</RouterLink>
    </li>
  </ul>
</template>

<style scoped src="@/shared/theme/page.css"></style>
<style scoped>
.list {
  padding: 4px 16px;
}
</style>
