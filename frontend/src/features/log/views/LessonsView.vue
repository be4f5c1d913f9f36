<script setup lang="ts">
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed, reactive, ref } from 'vue'
import { useRoute } from 'vue-router'
import { answer, api } from '@/shared/api/client'
import { date } from '@/shared/format'
import { CONDITIONS, ties, useLessonActs, type Lesson, type LessonBody } from '@/features/log/log'
import LogLinks from '@/features/log/parts/LogLinks.vue'
import SkeletonRows from '@/shared/parts/SkeletonRows.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import WorkButton from '@/shared/parts/WorkButton.vue'
import { useMay } from '@/shared/session'
import { useCars, useDrivers, useLayouts, useSeries } from '@/shared/queries'

/** What was learned: written down in a sentence, tied to where it holds, confirmed by a person; it comes back by itself when that does. */
const may = useMay()
const leads = computed(() => may('lesson.confirm'))
const route = useRoute()
const filters = reactive({
  q: typeof route.query.q === 'string' ? route.query.q : '',
  layout: '',
  car: '',
  series: '',
  driver: '',
})
const query = computed(() => Object.fromEntries(Object.entries(filters).filter(([, value]) => value)) as { q?: string })
const asked = useQuery({
  queryKey: ['lessons', query],
  placeholderData: keepPreviousData,
  queryFn: () => answer(api.GET('/api/lessons', { params: { query: query.value } })),
})
const items = computed(() => asked.data.value?.items ?? [])
const layouts = useLayouts()
const cars = useCars()
const series = useSeries()
const drivers = useDrivers()
const acts = useLessonActs()
const empty = { text: '', layout_id: '', corner: '', car_id: '', series_id: '', driver_id: '', condition: '' }
const form = reactive({ ...empty })
const changing = ref<Lesson>()
function edit(item: Lesson) {
  changing.value = item
  Object.assign(form, {
    text: item.text,
    layout_id: item.layout_id ?? '',
    corner: item.corner ?? '',
    car_id: item.car_id ?? '',
    series_id: item.series_id ?? '',
    driver_id: item.driver_id ?? '',
    condition: item.condition ?? '',
  })
}
function leave() {
  changing.value = undefined
  Object.assign(form, empty)
}
async function keep() {
  const body = Object.fromEntries(
    Object.entries(form).map(([name, value]) => [
      name,
      typeof value === 'string' && value.trim() ? value.trim() : null,
    ]),
  ) as unknown as LessonBody
  if (changing.value) await acts.change.mutateAsync({ item: changing.value, body })
  else await acts.add.mutateAsync(body)
  leave()
}
const trouble = computed(
  () => acts.add.error.value ?? acts.change.error.value ?? acts.confirm.error.value ?? acts.remove.error.value,
)
const mayChange = (item: Lesson) => leads.value || (item.own && !item.confirmed_at)
const filtered = computed(() => Object.keys(query.value).length > 0)
</script>

<template>
  <div class="top">
    <h1>Learned</h1>
    <LogLinks />
  </div>
  <form
    v-draft="changing ? `lesson ${changing.id}` : 'lesson'"
    class="sheet part"
    aria-labelledby="write-title"
    @submit.prevent="keep().catch(() => undefined)"
  >
    <h2 id="write-title">{{ changing ? 'Change it' : 'Write down what was learned' }}</h2>
    <label class="wide"
      >In one sentence
      <textarea
        v-model="form.text"
        class="field"
        rows="2"
        maxlength="500"
        required
        placeholder="braking 6 m earlier on cold tyres held for all five starts"
      />
    </label>
    <div class="fields">
      <label
        >Track
        <select v-model="form.layout_id">
          <option value="">any</option>
          <option v-for="item in layouts.data.value?.items" :key="item.id" :value="item.id">
            {{ item.track }}, {{ item.layout }}
          </option>
        </select></label
      >
      <label
        >Corner <input v-model="form.corner" class="field" maxlength="40" :disabled="!form.layout_id" placeholder="T3"
      /></label>
      <label
        >Car
        <select v-model="form.car_id">
          <option value="">any</option>
          <option v-for="item in cars.data.value?.items" :key="item.id" :value="item.id">{{ item.name }}</option>
        </select></label
      >
      <label
        >Series
        <select v-model="form.series_id">
          <option value="">any</option>
          <option v-for="item in series.data.value?.items" :key="item.id" :value="item.id">{{ item.name }}</option>
        </select></label
      >
      <label
        >Driver
        <select v-model="form.driver_id">
          <option value="">any</option>
          <option v-for="item in drivers.data.value?.items" :key="item.id" :value="item.id">{{ item.name }}</option>
        </select></label
      >
      <label
        >Condition
        <select v-model="form.condition">
          <option value="">any</option>
          <option v-for="(words, key) in CONDITIONS" :key="key" :value="key">{{ words }}</option>
        </select></label
      >
    </div>
    <p class="buttons">
      <WorkButton
        type="submit"
        size="small"
        color="primary"
        :loading="acts.add.isPending.value || acts.change.isPending.value"
        >{{ changing ? 'Keep it' : leads ? 'Write it down' : 'Propose it' }}</WorkButton
      >
      <v-btn v-if="changing" size="small" variant="outlined" @click="leave">Leave it</v-btn>
      <span v-if="!leads" class="quiet">A manager or coach confirms it.</span>
    </p>
    <TroubleNote :error="trouble" />
  </form>
  <form class="filters" role="search" aria-label="Lessons" @submit.prevent>
    <label>Words <input v-model="filters.q" class="field" type="search" maxlength="200" /></label>
    <label
      >Track
      <select v-model="filters.layout">
        <option value="">all</option>
        <option v-for="item in layouts.data.value?.items" :key="item.id" :value="item.id">
          {{ item.track }}, {{ item.layout }}
        </option>
      </select></label
    >
    <label
      >Car
      <select v-model="filters.car">
        <option value="">all</option>
        <option v-for="item in cars.data.value?.items" :key="item.id" :value="item.id">{{ item.name }}</option>
      </select></label
    >
    <label
      >Driver
      <select v-model="filters.driver">
        <option value="">all</option>
        <option v-for="item in drivers.data.value?.items" :key="item.id" :value="item.id">{{ item.name }}</option>
      </select></label
    >
  </form>
  <TroubleNote :error="asked.error.value" :again="() => asked.refetch()" />
  <SkeletonRows v-if="asked.isPending.value" :rows="6" label="Fetching what was learned" />
  <p v-else-if="!items.length" class="quiet" role="status">
    {{
      filtered
        ? 'Nothing that was learned says that.'
        : 'Nothing yet. What is written above comes back by itself when its track, car, series or driver does.'
    }}
  </p>
  <ul v-else class="plain sheet list">
    <li v-for="item in items" :key="item.id" :class="{ open: !item.confirmed_at }">
      <span class="text"
        >{{ item.text }} <span class="quiet">{{ ties(item) }}</span></span
      >
      <span class="acts">
        <span class="quiet">{{
          item.confirmed_at ? `${item.by}, ${date(item.written_at)}` : `proposed by ${item.by}`
        }}</span>
        <WorkButton
          v-if="leads && !item.confirmed_at"
          size="small"
          variant="outlined"
          @click="acts.confirm.mutate(item)"
          >Confirm<span class="visually-hidden">: {{ item.text }}</span></WorkButton
        >
        <button v-if="mayChange(item)" type="button" class="link" @click="edit(item)">
          Change<span class="visually-hidden">: {{ item.text }}</span>
        </button>
        <button v-if="mayChange(item)" type="button" class="link" @click="acts.remove.mutate(item)">
          Take out<span class="visually-hidden">: {{ item.text }}</span>
        </button>
      </span>
    </li>
  </ul>
</template>

<style scoped src="@/shared/theme/page.css"></style>
<style scoped>
form.part {
  padding: 12px 16px;
  margin-bottom: 12px;
}
.wide {
  display: grid;
}
.filters {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 14px;
  align-items: end;
  margin-bottom: 10px;
}
.list {
  padding: 4px 16px;
}
.list li.open {
  border-left: 3px solid var(--ochre);
  padding-left: 8px;
}
.text {
  flex: 1 1 380px;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 12px;
  align-items: center;
}
</style>
