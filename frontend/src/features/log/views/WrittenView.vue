<script setup lang="ts">
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { RouterLink, useRoute, useRouter } from 'vue-router'
import { answer, api } from '@/shared/api/client'
import { date } from '@/shared/format'
import LogLinks from '@/features/log/parts/LogLinks.vue'
import SkeletonRows from '@/shared/parts/SkeletonRows.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import { KINDS, placeOf, type Written } from '@/features/log/written'
import { useCars, useDrivers, useLayouts } from '@/shared/queries'

/** Everything that people wrote, wherever it stands. What is asked stands in the address, so that it can be gone back to and passed on. */
const route = useRoute()
const router = useRouter()
const NAMES = ['q', 'kind', 'layout', 'car', 'driver'] as const
const asking = computed(
  () =>
    Object.fromEntries(
      NAMES.flatMap((name) =>
        typeof route.query[name] === 'string' && route.query[name] ? [[name, route.query[name]]] : [],
      ),
    ) as Partial<Record<(typeof NAMES)[number], string>>,
)
const words = ref(asking.value.q ?? '')
let timer = 0
watch(words, (value) => {
  window.clearTimeout(timer)
  timer = window.setTimeout(() => choose('q', value.trim()), 200)
})
watch(
  () => asking.value.q,
  (value) => value !== words.value.trim() && (words.value = value ?? ''),
)
const choose = (name: string, value: string) =>
  void router.replace({ query: { ...asking.value, [name]: value || undefined } })
const asked = useQuery({
  queryKey: ['written', asking],
  enabled: computed(() => !!asking.value.q),
  placeholderData: keepPreviousData,
  queryFn: () =>
    answer(
      api.GET('/api/written', {
        params: {
          query: { ...asking.value, q: asking.value.q!, kind: asking.value.kind as Written['kind'] | undefined },
        },
      }),
    ),
})
const items = computed(() => (asking.value.q ? (asked.data.value?.items ?? []) : []))
const layouts = useLayouts()
const cars = useCars()
const drivers = useDrivers()
const about = (item: Written) =>
  [
    item.place && (item.corner ? `${item.place}, ${item.corner}` : item.place),
    item.car,
    item.driver,
    item.session && `session ${item.session}, run ${item.run}`,
  ]
    .filter(Boolean)
    .join(' · ')
/** The parts of a text in which a word stands that was asked for, in pieces: every second one is such a word. */
function pieces(text: string): string[] {
  const sought = (asking.value.q ?? '').match(/[\p{L}\p{N}_]+/gu)
  if (!sought) return [text]
  const word = new RegExp(`(${sought.join('|')})`, 'iu')
  const parts = text.split(' · ')
  const holding = parts.filter((part) => word.test(part))
  // Words that differ by an accent stand in none of them as they were typed.
  return (holding.length ? holding : parts).join(' · ').split(word)
}
</script>

<template>
  <div class="top">
    <h1>All that was written</h1>
    <LogLinks />
  </div>
  <form class="filters" role="search" aria-label="All that was written" @submit.prevent="choose('q', words.trim())">
    <label class="words"
      >Words
      <input
        v-model="words"
        class="field"
        type="search"
        maxlength="200"
        placeholder="kerb exit, a name of a corner, a reason …"
    /></label>
    <label
      >Kind
      <select :value="asking.kind ?? ''" @change="choose('kind', ($event.target as HTMLSelectElement).value)">
        <option value="">all</option>
        <option v-for="(title, key) in KINDS" :key="key" :value="key">{{ title }}</option>
      </select></label
    >
    <label
      >Track
      <select :value="asking.layout ?? ''" @change="choose('layout', ($event.target as HTMLSelectElement).value)">
        <option value="">all</option>
        <option v-for="item in layouts.data.value?.items" :key="item.id" :value="item.id">
          {{ item.track }}, {{ item.layout }}
        </option>
      </select></label
    >
    <label
      >Car
      <select :value="asking.car ?? ''" @change="choose('car', ($event.target as HTMLSelectElement).value)">
        <option value="">all</option>
        <option v-for="item in cars.data.value?.items" :key="item.id" :value="item.id">{{ item.name }}</option>
      </select></label
    >
    <label
      >Driver
      <select :value="asking.driver ?? ''" @change="choose('driver', ($event.target as HTMLSelectElement).value)">
        <option value="">all</option>
        <option v-for="item in drivers.data.value?.items" :key="item.id" :value="item.id">{{ item.name }}</option>
      </select></label
    >
  </form>
  <TroubleNote :error="asked.error.value" :again="() => asked.refetch()" />
  <p v-if="!asking.q" class="quiet" role="status">
    Words that stand in a lesson, a note of a run or lap, a reference, a question, a setup’s reason, a result: whatever
    somebody wrote. Several words all have to stand in it.
  </p>
  <SkeletonRows v-else-if="asked.isPending.value" :rows="6" label="Looking through what was written" />
  <p v-else-if="!items.length" class="quiet" role="status">
    Nothing that was written holds all of that. Fewer words, or their beginnings, find more.
  </p>
  <template v-else>
    <p class="quiet" role="status">{{ items.length }} found, the newest first</p>
    <ul class="plain sheet list">
      <li v-for="(item, index) in items" :key="index">
        <span class="kind">{{ KINDS[item.kind] }}</span>
        <span class="text">
          <component :is="placeOf(item, asking.q) ? RouterLink : 'span'" :to="placeOf(item, asking.q)"
            ><template v-for="(piece, place) in pieces(item.text)" :key="place"
              ><mark v-if="place % 2">{{ piece }}</mark
              ><template v-else>{{ piece }}</template></template
            ></component
          >
          <span class="quiet">{{ about(item) }}</span>
        </span>
        <span class="quiet who"
          ><template v-if="item.by">{{ item.by }}, </template
          ><template v-if="item.at">{{ date(item.at) }}</template></span
        >
      </li>
    </ul>
  </template>
</template>

<style scoped src="@/shared/theme/page.css"></style>
<style scoped>
.filters {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 14px;
  align-items: end;
  margin-bottom: 10px;
}
.words {
  display: flex;
  flex: 1 1 260px;
  gap: 6px;
  align-items: baseline;
}
.words input {
  flex: 1;
}
.list {
  padding: 4px 16px;
}
.list li {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 14px;
  align-items: baseline;
}
.kind {
  flex: 0 0 150px;
  font-size: 0.9rem;
}
.text {
  flex: 1 1 380px;
  overflow-wrap: anywhere;
}
.text .quiet {
  display: block;
}
mark {
  background: none;
  color: inherit;
  font-weight: 700;
  text-decoration: underline 3px var(--ochre);
  text-underline-offset: 2px;
}
</style>
