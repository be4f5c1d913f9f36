<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { RouterLink } from 'vue-router'
import { answer, api } from '@/shared/api/client'
import { moment, zoneName } from '@/shared/format'
import SkeletonRows from '@/shared/parts/SkeletonRows.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import WorkButton from '@/shared/parts/WorkButton.vue'
import { useMay } from '@/shared/session'

/** The sheet for the day: one page in short sentences, handed out in numbered versions; the driver says that they have read it. */
const props = defineProps<{ id: string }>()
const may = useMay()
const hands = computed(() => may('race.sheet'))
const queries = useQueryClient()
const asked = useQuery({
  queryKey: ['races', 'sheet', () => props.id],
  queryFn: () => answer(api.GET('/api/races/{entered_id}/sheet', { params: { path: { entered_id: props.id } } })),
})
const told = computed(() => asked.data.value)
/** Who leads looks at the sheet as it would be now; who drives at the one that was handed out. */
const draft = ref(false)
const lines = computed(() =>
  told.value ? (draft.value || !told.value.number ? told.value.lines : told.value.last) : [],
)
const parts = computed(() =>
  (told.value?.parts ?? [])
    .map(({ key, title }) => ({ title, lines: lines.value.filter((line) => line.part === key) }))
    .filter((part) => part.lines.length),
)
const seat = ref(false)
const settled = () =>
  Promise.all(['races', 'steps', 'history'].map((key) => queries.invalidateQueries({ queryKey: [key] })))
const path = computed(() => ({ path: { entered_id: props.id } }))
const handOut = useMutation({
  mutationFn: () => answer(api.POST('/api/races/{entered_id}/sheet', { params: path.value })),
  onSuccess: () => (draft.value = false),
  onSettled: settled,
})
const read = useMutation({
  mutationFn: () =>
    answer(
      api.POST('/api/races/{entered_id}/sheet/read', { params: path.value, body: { number: told.value!.number! } }),
    ),
  onSettled: settled,
})
const copied = ref(false)
async function copy() {
  await navigator.clipboard.writeText(told.value?.text ?? '')
  copied.value = true
}
const mine = computed(() => may('race.read'))
const pdf = computed(() => `/api/races/${props.id}/sheet.pdf?zone=${encodeURIComponent(zoneName())}`)
</script>

<template>
  <TroubleNote
    :error="asked.error.value ?? handOut.error.value ?? read.error.value"
    :again="asked.error.value ? () => asked.refetch() : undefined"
  />
  <SkeletonRows v-if="asked.isPending.value" :rows="10" label="Writing the sheet" />
  <template v-if="told">
    <section v-if="seat" class="seat" aria-labelledby="seat-title">
      <h1 id="seat-title">{{ told.driver }}: {{ told.place || told.series }}</h1>
      <ol>
        <li v-for="line in lines.filter((item) => item.seat).slice(0, 5)" :key="line.words">{{ line.words }}</li>
      </ol>
      <p><button type="button" class="link" @click="seat = false">Back to the whole sheet</button></p>
    </section>
    <template v-else>
      <div class="top">
        <h1>{{ told.driver }}: {{ told.place || told.series }}</h1>
        <p class="links">
          <RouterLink :to="{ name: 'race', params: { id } }">What it stands on</RouterLink>
          <RouterLink to="/races">All races</RouterLink>
        </p>
      </div>
      <p class="quiet">
        {{ told.series }} · {{ told.race_at ? moment(told.race_at) : 'no start chosen' }} ·
        <template v-if="told.number"
          >sheet {{ told.number }}, handed out {{ moment(told.handed_out_at!) }} by {{ told.by }};
          {{ told.read_at ? `read ${moment(told.read_at)}` : 'not read yet' }}</template
        ><template v-else>a draft: none was handed out yet</template>
      </p>
      <div class="buttons">
        <WorkButton
          v-if="hands && told.outdated"
          color="primary"
          size="small"
          :loading="handOut.isPending.value"
          @click="handOut.mutate()"
          >{{ told.number ? 'Hand out the new one' : 'Hand it out' }}</WorkButton
        >
        <WorkButton
          v-if="mine && told.number && !told.read_at"
          color="primary"
          size="small"
          :loading="read.isPending.value"
          @click="read.mutate()"
          >I have read it</WorkButton
        >
        <v-btn size="small" variant="outlined" @click="seat = true">For the seat</v-btn>
        <v-btn size="small" variant="outlined" :href="pdf">Print (PDF)</v-btn>
        <v-btn size="small" variant="outlined" @click="copy">{{ copied ? 'Copied' : 'Copy for a chat' }}</v-btn>
        <label v-if="hands && told.number && told.outdated"
          ><input v-model="draft" type="checkbox" /> as it would be now</label
        >
      </div>
      <section
        v-if="told.since_read.length || told.gone.length"
        class="sheet part changed"
        aria-labelledby="changed-title"
      >
        <h2 id="changed-title">Changed since it was read</h2>
        <ul>
          <li v-for="words in told.since_read" :key="words">{{ words }}</li>
          <li v-for="words in told.gone" :key="words">
            <del>{{ words }}</del>
          </li>
        </ul>
      </section>
      <article class="sheet page">
        <section v-for="part in parts" :key="part.title">
          <h2>{{ part.title }}</h2>
          <p v-for="line in part.lines" :key="line.words">{{ line.words }}</p>
        </section>
        <section v-if="told.missing.length" class="missing">
          <h2>Missing</h2>
          <ul>
            <li v-for="words in told.missing" :key="words">{{ words }}</li>
          </ul>
        </section>
      </article>
      <p class="quiet">The circuit’s rules and the marshals come before this sheet.</p>
    </template>
  </template>
</template>

<style scoped src="@/shared/theme/page.css"></style>
<style scoped>
.buttons {
  align-items: center;
  margin: 8px 0 10px;
}
.page {
  padding: 14px 18px;
  columns: 2 420px;
  column-gap: 32px;
}
.page section {
  break-inside: avoid;
  margin-bottom: 10px;
}
.page p {
  margin: 0 0 2px;
}
.changed {
  border-left: 4px solid var(--ochre);
  margin-bottom: 10px;
}
.missing {
  border-left: 4px solid var(--loss);
  padding-left: 10px;
}
.seat li {
  font-size: clamp(1.5rem, 4vw, 2.6rem);
  line-height: 1.25;
  margin-bottom: 0.5em;
}
@media print {
  .buttons,
  .links {
    display: none;
  }
}
</style>
