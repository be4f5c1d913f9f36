<script setup lang="ts">
import { computed, ref } from 'vue'
import { RouterLink, useRoute } from 'vue-router'
import { averageRow, lapRow, runOf, useAccounts } from '@/features/find/accounts'
import AccountBars from '@/shared/charts/AccountBars.vue'
import { count } from '@/shared/format'
import SkeletonRows from '@/shared/parts/SkeletonRows.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'

/** What a driver’s average lap is owed to, or each lap of a run; the whole account is a page of its own. */
const props = defineProps<{ id: string; driver: string; run?: string }>()
const route = useRoute()
// Laps of a run are looked at while they come in, and changed: they are booked anew for who wants to see it.
const open = ref(!props.run)
const { query, shown, names } = useAccounts(
  () => props.id,
  () => props.driver,
  () => open.value,
)
const rows = computed(() => {
  if (props.run) return (shown.value?.laps ?? []).filter((lap) => runOf(lap) === props.run).map(lapRow)
  const own = shown.value?.team.find((item) => item.id === props.driver) ?? shown.value?.average
  return own ? [averageRow(own)] : []
})
const label = computed(() =>
  props.run
    ? `What ${count(rows.value.length, 'lap')} of this run are slower than the own good lap, by account`
    : (shown.value?.words ?? ''),
)
const whole = computed(() => ({
  name: 'accounts',
  params: { id: props.id, driver: props.driver },
  query: props.run ? { run: props.run } : route.query,
}))
</script>

<template>
  <details v-if="run" class="sheet part" @toggle="open = ($event.target as HTMLDetailsElement).open">
    <summary>Where the laps of this run went</summary>
    <TroubleNote :error="query.error.value" :again="() => query.refetch()" />
    <SkeletonRows v-if="open && query.isPending.value" :rows="4" label="Booking the laps" />
    <template v-if="shown">
      <AccountBars v-if="rows.length" :rows="rows" :names="names" :label="label" />
      <p v-else>{{ shown.reason ? `No lap can be booked yet: ${shown.reason}.` : 'No lap of it can be booked.' }}</p>
      <p><RouterLink :to="whole">Where every thousandth went</RouterLink></p>
    </template>
  </details>
  <section v-else-if="shown && rows.length" class="sheet part" aria-labelledby="account">
    <h2 id="account">Where an average lap goes</h2>
    <p>{{ shown.words }}</p>
    <AccountBars :rows="rows" :names="names" :label="label" />
  </section>
</template>

<style scoped>
details {
  margin-top: 12px;
  padding: 10px 16px;
}
</style>
