<script setup lang="ts">
import { useMutation } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { useRoute } from 'vue-router'
import { answer, api } from '@/shared/api/client'
import type { FiguresOf } from '@/shared/api/words'
import { addressOf, useAlso } from '@/features/find/look'
import TroubleNote from '@/shared/parts/TroubleNote.vue'

/** Figures to take along: tables, two pages of paper, a text for a chat. */
const props = defineProps<{
  id: string
  tables: { what: FiguresOf; words: string }[]
  driver?: { id: string; name: string }
  week?: string
  lapFile?: boolean
}>()
const route = useRoute()
const also = useAlso()
const open = ref(false)
const copied = ref('')
watch(
  () => route.fullPath,
  () => (open.value = false),
)
const table = (what: string, form: string) =>
  `/api/combinations/${props.id}/figures${addressOf(props.week, also.value, [
    `what=${what}`,
    `form=${form}`,
    ...(['laps', 'pace'].includes(what) && props.driver ? [`driver=${props.driver.id}`] : []),
  ])}`
const pdf = computed(
  () => `/api/combinations/${props.id}/drivers/${props.driver?.id}/report.pdf${addressOf(props.week, also.value)}`,
)
const text = useMutation({
  mutationFn: () =>
    answer(
      api.GET('/api/combinations/{combination_id}/drivers/{driver_id}/report', {
        params: {
          path: { combination_id: props.id, driver_id: props.driver!.id },
          query: { week: props.week, also: also.value },
        },
      }),
    ),
  onMutate: () => (copied.value = ''),
})
async function copy() {
  try {
    await navigator.clipboard.writeText(text.data.value?.text ?? '')
    copied.value = 'Copied.'
  } catch {
    copied.value = 'The browser doesn’t let it be copied: mark it and copy it by hand.'
  }
}
</script>

<template>
  <v-btn variant="outlined" color="primary" @click="open = true">Share</v-btn>
  <v-dialog v-model="open" max-width="640" aria-labelledby="share-title">
    <div class="sheet part">
      <h2 id="share-title">Print and share</h2>
      <ul>
        <li v-for="item in tables" :key="item.what">
          {{ item.words }}:
          <a :href="table(item.what, 'csv')"
            >CSV<span class="visually-hidden"> of {{ item.words }}</span></a
          >
          ·
          <a :href="table(item.what, 'json')"
            >JSON<span class="visually-hidden"> of {{ item.words }}</span></a
          >
        </li>
        <li v-if="lapFile">
          All laps as a lap file:
          <a :href="`/api/combinations/${id}/laps.csv`">CSV<span class="visually-hidden"> of the laps</span></a>
        </li>
        <li v-if="driver">Report of {{ driver.name }}, two pages: <a :href="pdf">PDF</a></li>
        <li>Pictures: SVG and PNG stand under each of them</li>
      </ul>
      <template v-if="driver">
        <v-btn size="small" variant="outlined" color="primary" :disabled="text.isPending.value" @click="text.mutate()"
          >As text for a chat</v-btn
        >
        <TroubleNote :error="text.error.value" :again="() => text.mutate()" />
        <template v-if="text.data.value">
          <textarea class="text" readonly rows="12" aria-label="Text for a chat" :value="text.data.value.text" />
          <p>
            <v-btn size="small" color="primary" @click="copy">Copy</v-btn> <span role="status">{{ copied }}</span>
          </p>
        </template>
      </template>
      <div class="buttons"><v-btn color="primary" @click="open = false">Close</v-btn></div>
    </div>
  </v-dialog>
</template>

<style scoped>
ul {
  padding-left: 18px;
  margin-bottom: 8px;
}
.text {
  width: 100%;
  margin: 8px 0;
  padding: 6px 8px;
  border: 1px solid var(--quiet);
  border-radius: 3px;
  background: var(--paper);
  color: inherit;
  font: inherit;
  font-size: 0.9rem;
}
</style>
