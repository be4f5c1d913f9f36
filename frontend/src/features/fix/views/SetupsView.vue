<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, reactive, ref, watch } from 'vue'
import { RouterLink, useRoute, useRouter } from 'vue-router'
import { answer, api, type Schemas } from '@/shared/api/client'
import SetupDifference from '@/features/fix/parts/SetupDifference.vue'
import SkeletonRows from '@/shared/parts/SkeletonRows.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import { count, moment } from '@/shared/format'
import { useMay } from '@/shared/session'
import { useCars } from '@/shared/queries'

/** Setups as sheets of named values: versions, what each changed and brought, and what differs between two. */
type Version = Schemas['SetupVersionOut']
type Line = { name: string; value: string; unit: string; corner: string }
const PURPOSES = {
  any: 'anything',
  race: 'the race',
  qualifying: 'qualifying only',
  wet: 'the wet',
  practice: 'practice',
} as const
const route = useRoute()
const router = useRouter()
const queries = useQueryClient()
const may = useMay()
const cars = useCars()
const list = useQuery({ queryKey: ['setups'], queryFn: () => answer(api.GET('/api/setups')) })
const items = computed(() => list.data.value?.items ?? [])
const id = computed({
  get: () =>
    (
      items.value.find((item) => item.id === route.query.setup) ??
      items.value.find((item) => item.car_id === route.query.car)
    )?.id ?? items.value[0]?.id,
  set: (value) => void router.replace({ query: value ? { setup: value } : {} }),
})
const shown = computed(() => items.value.find((item) => item.id === id.value))
const latest = computed(() => shown.value?.versions[0])
const number = ref(0)
const version = computed<Version | undefined>(
  () => shown.value?.versions.find((item) => item.number === number.value) ?? latest.value,
)
const against = ref(0)
watch(id, () => {
  number.value = 0
  against.value = 0
  writing.value = ''
})
const brought = useQuery({
  queryKey: ['setups', 'brought', id],
  enabled: () => Boolean(id.value),
  queryFn: () => answer(api.GET('/api/setups/{setup_id}/brought', { params: { path: { setup_id: id.value! } } })),
})
const settled = () =>
  Promise.all(['setups', 'steps', 'history'].map((key) => queries.invalidateQueries({ queryKey: [key] })))

const writing = ref<'' | 'new' | 'version'>('')
const form = reactive({
  car: '',
  name: '',
  purpose: 'any' as keyof typeof PURPOSES,
  assists: '',
  reason: '',
  lines: [] as Line[],
  file: '',
  fileName: '',
})
const blank = (): Line => ({ name: '', value: '', unit: '', corner: '' })
function write(what: 'new' | 'version') {
  writing.value = what
  const from = what === 'version' ? version.value : undefined
  Object.assign(form, {
    car: shown.value?.car_id ?? cars.data.value?.items[0]?.id ?? '',
    name: '',
    purpose: from?.purpose ?? 'any',
    assists: from?.assists ?? '',
    reason: '',
    lines: [
      ...(from?.values.map((item) => ({
        name: item.name,
        value: item.value,
        unit: item.unit ?? '',
        corner: item.corner ?? '',
      })) ?? []),
      blank(),
    ],
    file: '',
    fileName: '',
  })
}
async function choose(event: Event) {
  const file = (event.target as HTMLInputElement).files?.[0]
  form.file = file ? await file.text() : ''
  form.fileName = file?.name ?? ''
}
const body = () => ({
  purpose: form.purpose,
  assists: form.assists || null,
  reason: form.reason || null,
  note: null,
  file: form.file || null,
  values: form.file
    ? []
    : form.lines
        .filter((line) => line.name.trim() && line.value.trim())
        .map((line) => ({ name: line.name, value: line.value, unit: line.unit || null, corner: line.corner || null })),
})
const keep = useMutation({
  mutationFn: async () => {
    if (writing.value === 'version')
      return (
        await answer(
          api.POST('/api/setups/{setup_id}/versions', {
            params: { path: { setup_id: id.value! } },
            body: { ...body(), latest: latest.value!.number },
          }),
        )
      ).id
    return (await answer(api.POST('/api/setups', { body: { ...body(), car_id: form.car, name: form.name } }))).id
  },
  onSuccess: async (made) => {
    writing.value = ''
    number.value = 0
    await settled()
    id.value = made
  },
})
const remove = useMutation({
  mutationFn: () =>
    answer(
      api.DELETE('/api/setups/{setup_id}', {
        params: { path: { setup_id: id.value! }, header: { 'If-Match': `"${shown.value!.version}"` } },
      }),
    ),
  onSettled: settled,
})
const file = (form: 'csv' | 'json') => `/api/setups/${id.value}/file?number=${version.value?.number}&form=${form}`
function changed(item: Schemas['SetupDifference']) {
  const what = `${item.name}${item.corner ? ` at ${item.corner}` : ''}`
  if (item.before === null) return `new: ${what} ${item.after}`
  return item.after === null ? `gone: ${what} ${item.before}` : `${what} ${item.before} → ${item.after}`
}
</script>

<template>
  <div class="top">
    <h1>Setups</h1>
    <v-btn color="primary" size="small" @click="write('new')">Write another one</v-btn>
  </div>
  <TroubleNote
    :error="list.error.value ?? keep.error.value ?? remove.error.value"
    :again="list.error.value ? () => list.refetch() : undefined"
  />
  <SkeletonRows v-if="list.isPending.value" :rows="8" label="Fetching the setups" />
  <form
    v-if="writing"
    v-draft="writing === 'new' ? 'new setup' : `setup ${id}`"
    class="sheet part fields"
    aria-label="Setup"
    @submit.prevent="keep.mutate()"
  >
    <h2>{{ writing === 'new' ? 'A new setup' : `${shown?.name}, after version ${latest?.number}` }}</h2>
    <div class="row">
      <template v-if="writing === 'new'">
        <label
          >Car
          <select v-model="form.car">
            <option v-for="car in cars.data.value?.items" :key="car.id" :value="car.id">{{ car.name }}</option>
          </select></label
        >
        <label>Name <input v-model="form.name" type="text" required maxlength="120" /></label>
      </template>
      <label
        >For
        <select v-model="form.purpose">
          <option v-for="(words, key) in PURPOSES" :key="key" :value="key">{{ words }}</option>
        </select></label
      >
      <label>Assumes assists <input v-model="form.assists" type="text" maxlength="120" /></label>
      <label>Why <input v-model="form.reason" type="text" maxlength="500" /></label>
    </div>
    <p class="row">
      <label>From a file (CSV or JSON) <input type="file" accept=".csv,.json" @change="choose" /></label>
    </p>
    <div v-if="!form.file" class="scroll-x" tabindex="0" role="group" aria-label="Values">
      <table class="ledger">
        <thead>
          <tr>
            <th scope="col">Name</th>
            <th scope="col">Value</th>
            <th scope="col">Unit</th>
            <th scope="col">In the car, at</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="(line, index) in form.lines" :key="index">
            <td>
              <input
                v-model="line.name"
                type="text"
                :aria-label="`Name ${index + 1}`"
                @input="index === form.lines.length - 1 && form.lines.push(blank())"
              />
            </td>
            <td><input v-model="line.value" type="text" class="short" :aria-label="`Value ${index + 1}`" /></td>
            <td><input v-model="line.unit" type="text" class="short" :aria-label="`Unit ${index + 1}`" /></td>
            <td>
              <input
                v-model="line.corner"
                type="text"
                class="short"
                placeholder="whole lap"
                :aria-label="`Corner ${index + 1}`"
              />
            </td>
          </tr>
        </tbody>
      </table>
    </div>
    <p v-else>{{ form.fileName }} is read when it is kept.</p>
    <p class="row">
      <v-btn type="submit" color="primary" size="small" :loading="keep.isPending.value">Keep it</v-btn>
      <v-btn variant="outlined" size="small" @click="writing = ''">Leave it</v-btn>
    </p>
  </form>
  <section v-if="list.data.value && !items.length && !writing" class="sheet empty">
    <h2>No setup yet</h2>
    <p>
      A setup is a sheet of named values. Write one, or take one over from a CSV file with the columns name, value, unit
      and corner.
    </p>
    <v-btn color="primary" @click="write('new')">Write one</v-btn>
  </section>
  <template v-if="shown && version">
    <p class="row">
      <label
        >Setup
        <select v-model="id">
          <option v-for="item in items" :key="item.id" :value="item.id">{{ item.car }}: {{ item.name }}</option>
        </select></label
      >
      <label
        >Version
        <select :value="version.number" @change="number = Number(($event.target as HTMLSelectElement).value)">
          <option v-for="item in shown.versions" :key="item.number" :value="item.number">
            {{ item.number }}, for {{ PURPOSES[item.purpose] }}
          </option>
        </select></label
      >
      <label v-if="shown.versions.length > 1"
        >Beside
        <select v-model.number="against">
          <option :value="0">none</option>
          <option
            v-for="item in shown.versions.filter((other) => other.number !== version!.number)"
            :key="item.number"
            :value="item.number"
          >
            {{ item.number }}
          </option>
        </select></label
      >
    </p>
    <div class="beside">
      <section class="sheet part" aria-labelledby="sheet">
        <h2 id="sheet">
          {{ version.label }} <span class="quiet">for {{ PURPOSES[version.purpose] }}</span>
        </h2>
        <p class="quiet">
          {{ version.person }}, {{ moment(version.created_at) }}.
          {{ version.assists ? `Assumes ${version.assists}. ` : '' }}{{ version.reason ?? '' }} Runs that name it “{{
            version.label
          }}” belong to it: {{ count(version.laps, 'lap') }} so far.
        </p>
        <div class="scroll-x" tabindex="0" role="group" aria-label="Values of the sheet">
          <table class="ledger">
            <thead>
              <tr>
                <th scope="col">Value</th>
                <th scope="col" class="number">Set to</th>
                <th scope="col">Unit</th>
                <th scope="col">In the car, at</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="item in version.values" :key="item.name + item.corner">
                <th scope="row">{{ item.name }}</th>
                <td class="number">{{ item.value }}</td>
                <td>{{ item.unit }}</td>
                <td>{{ item.corner ?? '' }}</td>
              </tr>
            </tbody>
          </table>
        </div>
        <p class="row below">
          <v-btn size="small" variant="outlined" @click="write('version')">Change it</v-btn>
          <a :href="file('csv')" download>CSV</a> <a :href="file('json')" download>JSON</a>
          <v-btn
            v-if="may('setup.remove')"
            size="small"
            variant="text"
            :loading="remove.isPending.value"
            @click="remove.mutate()"
            >Take it away</v-btn
          >
        </p>
      </section>
      <div>
        <SetupDifference v-if="against && id" :setup="id" :first="against" :second="version.number" />
        <section class="sheet part" aria-labelledby="record">
          <h2 id="record">What was changed, and why</h2>
          <ul class="record">
            <li v-for="item in shown.versions" :key="item.number">
              <b>{{ item.label }}</b> <span class="quiet">{{ moment(item.created_at) }}, {{ item.person }}</span>
              <p>
                {{
                  item.changed.length
                    ? `${item.changed.map(changed).join('; ')}.`
                    : item.number === 1
                      ? 'The first one.'
                      : 'The same values, for something else.'
                }}
                {{ item.reason }}
              </p>
              <p v-if="item.changed.length > 1" class="quiet">
                {{ item.changed.length }} things at once: what each of them does can’t be told.
              </p>
            </li>
          </ul>
        </section>
        <section class="sheet part" aria-labelledby="brought">
          <h2 id="brought">What it brought</h2>
          <ul v-if="brought.data.value?.items.length">
            <li v-for="item in brought.data.value.items" :key="item.combination_id + item.driver_id + item.after">
              <RouterLink :to="{ name: 'driver-pace', params: { id: item.combination_id, driver: item.driver_id } }"
                >{{ item.driver }}, {{ item.place }}</RouterLink
              >: {{ item.words }} <span v-if="!item.one_change" class="quiet">Several values at once.</span>
              <p v-for="note in item.felt" :key="note" class="quiet">{{ note }}</p>
            </li>
          </ul>
          <p v-if="brought.data.value?.items.length" class="quiet">
            Driver and track change from run to run too. Both versions in turn, on one evening, tell more.
          </p>
          <TroubleNote :error="brought.error.value" :again="() => brought.refetch()" />
          <SkeletonRows v-if="brought.isPending.value" :rows="3" label="Comparing runs" />
          <p v-if="brought.data.value && !brought.data.value.items.length">
            Nothing yet: it takes clean runs with one version and then with another, named in their declaration.
          </p>
        </section>
      </div>
    </div>
  </template>
</template>

<style scoped src="@/shared/theme/fix.css"></style>
<style scoped>
.row {
  margin-bottom: 8px;
}
.beside {
  align-items: start;
}
.below {
  margin-top: 10px;
}
.short {
  width: 7em;
}
.record li {
  margin-bottom: 6px;
}
</style>
