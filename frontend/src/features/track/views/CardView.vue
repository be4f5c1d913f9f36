<script setup lang="ts">
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { answer, api } from '@/shared/api/client'
import { useBook, usePageKeys, VARIANTS } from '@/features/track/book'
import SkeletonRows from '@/shared/parts/SkeletonRows.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import TrackHead from '@/features/track/parts/TrackHead.vue'
import { useMe } from '@/shared/session'
import { useProfiles } from '@/shared/queries'

const props = defineProps<{ id: string }>()
const route = useRoute()
const router = useRouter()
const me = useMe()
const asked = useBook(() => props.id)
const book = computed(() => asked.data.value)
const drivers = useProfiles()
const driver = computed(() =>
  typeof route.query.driver === 'string' ? route.query.driver : (me.data.value?.driver_id ?? ''),
)
const variant = computed(() =>
  typeof route.query.when === 'string' && route.query.when in VARIANTS
    ? (route.query.when as keyof typeof VARIANTS)
    : 'usual',
)
const card = useQuery({
  queryKey: ['card', () => props.id, () => book.value?.car_id, driver, variant],
  enabled: computed(() => !!book.value),
  placeholderData: keepPreviousData,
  queryFn: () =>
    answer(
      api.GET('/api/layouts/{layout_id}/card', {
        params: {
          path: { layout_id: props.id },
          query: { car: book.value?.car_id ?? undefined, driver: driver.value || undefined, variant: variant.value },
        },
      }),
    ),
})
const choose = (query: Record<string, string>) => router.replace({ query: { ...route.query, ...query } })

// Learning: lines are covered, and uncovered one by one.
const covered = ref(false)
const seen = ref(0)
const single = ref(new Set<number>())
watch([covered, () => card.data.value?.title], () => {
  seen.value = 0
  single.value = new Set()
})
const isShown = (index: number) => !covered.value || index < seen.value || single.value.has(index)
const lines = computed(() => card.data.value?.lines ?? [])
function next() {
  if (covered.value) seen.value = Math.min(seen.value + 1, lines.value.length)
}
usePageKeys(() => ({
  h: () => (covered.value = !covered.value),
  n: next,
  ArrowDown: next,
  ArrowUp: () => covered.value && (seen.value = Math.max(0, seen.value - 1)),
}))
const said = ref('')
async function copy() {
  try {
    await navigator.clipboard.writeText(card.data.value?.text ?? '')
    said.value = 'Copied as plain text.'
  } catch {
    said.value = 'The browser doesn’t let this page copy. Mark the lines and copy them.'
  }
}
const print = () => window.print()
const SIGNS = { high: '●', medium: '◐', low: '○' } as const
</script>

<template>
  <TrackHead :book="book" :title="book ? `${book.track}, ${book.layout}` : 'Reading card'">
    <label v-if="(drivers.data.value?.items.length ?? 0) > 0"
      >for
      <select
        :value="driver"
        aria-label="For which driver"
        @change="choose({ driver: ($event.target as HTMLSelectElement).value })"
      >
        <option value="">every driver</option>
        <option v-for="item in drivers.data.value?.items.filter((one) => !one.guest)" :key="item.id" :value="item.id">
          {{ item.name }}
        </option>
      </select></label
    >
    <label
      >when
      <select :value="variant" aria-label="When" @change="choose({ when: ($event.target as HTMLSelectElement).value })">
        <option v-for="(words, value) in VARIANTS" :key="value" :value="value">{{ words }}</option>
      </select></label
    >
  </TrackHead>
  <SkeletonRows v-if="asked.isPending.value || card.isPending.value" :rows="12" label="Loading the reading card" />
  <TroubleNote :error="asked.error.value ?? card.error.value" :again="() => card.refetch()" />
  <section v-if="card.data.value" class="sheet part card" aria-labelledby="card-title">
    <div class="line">
      <h2 id="card-title">A lap as a script</h2>
      <span class="tools">
        <v-btn
          size="small"
          :variant="covered ? 'flat' : 'outlined'"
          color="primary"
          :aria-pressed="covered"
          @click="covered = !covered"
          >{{ covered ? 'Show all lines' : 'Cover the lines' }}</v-btn
        >
        <v-btn v-if="covered" size="small" variant="outlined" :disabled="seen >= lines.length" @click="next"
          >Uncover the next</v-btn
        >
        <v-btn size="small" variant="outlined" @click="copy">Copy as text</v-btn>
        <v-btn size="small" variant="outlined" @click="print">Print</v-btn>
      </span>
    </div>
    <p class="quiet">
      {{ card.data.value.title }}<span role="status"> {{ said }}</span>
    </p>
    <p v-if="!lines.length" class="quiet">This layout has no corners yet.</p>
    <ol :class="{ many: lines.length > 24 }">
      <li v-for="(line, index) in lines" :key="line.code" :class="line.level">
        <b class="code"
          ><span class="level" aria-hidden="true">{{ SIGNS[line.level] }}</span
          >{{ line.code }}</b
        >
        <span class="name">{{ line.name }}</span>
        <span v-if="isShown(index)" class="words">{{ line.words }}</span>
        <button v-else type="button" class="cover" @click="single = new Set([...single, index])">
          Show {{ line.code }}
        </button>
      </li>
      <li v-if="card.data.value.pit" class="pit">
        <b class="code">Pit</b><span class="name" /><span class="words">{{ card.data.value.pit }}</span>
      </li>
    </ol>
  </section>
</template>

<style scoped>
.card {
  max-width: 1180px;
}
.line,
.tools {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 6px 12px;
}
.tools {
  margin-left: auto;
}
ol {
  list-style: none;
  padding: 0;
  margin-top: 8px;
}
li {
  display: grid;
  grid-template-columns: 74px 150px 1fr;
  gap: 0 10px;
  padding: 4px 0;
  border-bottom: 1px solid var(--rule);
}
.level {
  color: var(--accent);
  margin-right: 6px;
}
.name {
  color: var(--quiet);
}
.cover {
  text-align: left;
  border: 1px dashed var(--quiet);
  border-radius: 3px;
  color: var(--quiet);
  padding: 0 8px;
  width: min(100%, 420px);
}
@media (max-width: 600px) {
  li {
    grid-template-columns: 74px 1fr;
  }
  .words,
  .cover {
    grid-column: 1 / -1;
  }
}
@media print {
  .tools {
    display: none;
  }
  .card {
    border: 0;
    padding: 0;
    max-width: none;
  }
  li {
    padding: 1.5px 0;
    font-size: 9.5pt;
    break-inside: avoid;
    grid-template-columns: 54px 110px 1fr;
  }
  ol.many {
    columns: 2;
    column-gap: 18px;
  }
  ol.many li {
    font-size: 6.8pt;
    line-height: 1.15;
    padding: 0.5px 0;
    grid-template-columns: 34px 1fr;
  }
  ol.many .name {
    display: none;
  }
}
</style>
