<script setup lang="ts">
import { watch } from 'vue'
import { useRouter } from 'vue-router'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import { lastCombination } from '@/shared/recent'
import { useCombinations } from '@/shared/queries'

const props = defineProps<{ to: string }>()
const router = useRouter()
const list = useCombinations()
watch(
  () => list.data.value,
  (data) => {
    if (!data) return
    const last =
      data.items.find((item) => item.id === lastCombination()) ?? data.items.find((item) => item.laps) ?? data.items[0]
    if (last) void router.replace({ name: props.to, params: { id: last.id } })
  },
  { immediate: true },
)
</script>

<template>
  <h1>{{ { combination: 'Find', clinic: 'Fix' }[to] ?? 'Drive' }}</h1>
  <v-progress-linear v-if="list.isPending.value" indeterminate aria-label="Loading" />
  <TroubleNote :error="list.error.value" :again="() => list.refetch()" />
  <section v-if="list.data.value && !list.data.value.items.length" class="sheet empty">
    <h2>No combination yet</h2>
    <p class="note">Laps belong to a car on a track. Begin under Week: make a combination there, then come back.</p>
    <v-btn color="primary" to="/">Go to Week</v-btn>
  </section>
</template>
