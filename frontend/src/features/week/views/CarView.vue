<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, reactive, ref } from 'vue'
import { RouterLink, useRouter } from 'vue-router'
import { answer, api, theirsOf, version, type Car, type CarChange } from '@/shared/api/client'
import { asTyped, fuel, plainDay, readIn, readNumber, typedIn } from '@/shared/format'
import { units } from '@/shared/units'
import WeekHead from '@/features/week/parts/WeekHead.vue'
import SettingsTable from '@/features/week/parts/SettingsTable.vue'
import SkeletonRows from '@/shared/parts/SkeletonRows.vue'
import TheirsNote from '@/shared/parts/TheirsNote.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import WorkButton from '@/shared/parts/WorkButton.vue'
import { useMay } from '@/shared/session'
import { settingsMeant, settingsTyped, wrongIn, type SettingForm } from '@/features/week/settings'
import { useProfiles } from '@/shared/queries'

const props = defineProps<{ id: string }>()
const queries = useQueryClient()
const router = useRouter()
const may = useMay()
const all = computed(() => may('car.change'))
const car = useQuery({
  queryKey: ['car', () => props.id],
  queryFn: () => answer(api.GET('/api/cars/{car_id}', { params: { path: { car_id: props.id } } })),
})
const drivers = useProfiles()
const editing = ref(false)
const form = reactive({
  version: 0,
  name: '',
  car_class: '',
  drive: '',
  gears: '',
  limiter_rpm: '',
  shift_rpm: '',
  assists: '',
  traits: '',
  cold_laps: '',
  tank_l: '',
  battery_kwh: '',
  note: '',
  restricted: false,
  driver_ids: [] as string[],
  settings: [] as SettingForm[],
})
function edit(row: Car) {
  Object.assign(form, {
    version: row.version,
    name: row.name,
    car_class: asTyped(row.car_class),
    drive: asTyped(row.drive),
    gears: asTyped(row.gears),
    limiter_rpm: asTyped(row.limiter_rpm),
    shift_rpm: (row.shift_rpm ?? []).join(' '),
    assists: (row.assists ?? []).join(', '),
    traits: (row.traits ?? []).join('\n'),
    cold_laps: asTyped(row.cold_laps),
    tank_l: typedIn('volume', row.tank_l),
    battery_kwh: asTyped(row.battery_kwh),
    note: asTyped(row.note),
    restricted: row.restricted ?? false,
    driver_ids: [...row.driver_ids],
    settings: settingsTyped(row.settings),
  })
  editing.value = true
}
const bad = computed(() =>
  wrongIn(
    [form.gears, form.limiter_rpm, form.cold_laps, form.tank_l, form.battery_kwh, ...form.shift_rpm.split(/\s+/)],
    form.settings,
  ),
)
const change = (): CarChange => ({
  name: form.name,
  car_class: form.car_class || null,
  drive: form.drive || null,
  gears: readNumber(form.gears),
  limiter_rpm: readNumber(form.limiter_rpm),
  shift_rpm: form.shift_rpm
    .split(/\s+/)
    .filter(Boolean)
    .map((text) => readNumber(text) ?? 0),
  assists: form.assists
    .split(',')
    .map((item) => item.trim())
    .filter(Boolean),
  traits: form.traits
    .split('\n')
    .map((item) => item.trim())
    .filter(Boolean),
  cold_laps: readNumber(form.cold_laps),
  tank_l: readIn('volume', form.tank_l, car.data.value?.tank_l),
  battery_kwh: readNumber(form.battery_kwh),
  note: form.note || null,
  restricted: form.restricted,
  driver_ids: form.driver_ids,
  settings: settingsMeant(form.settings).map((item, index) => ({ ...item, does: form.settings[index]?.does || null })),
})
const settle = () =>
  Promise.all(
    ['car', 'cars', 'board', 'profiles', 'combinations', 'steps', 'history'].map((key) =>
      queries.invalidateQueries({ queryKey: [key] }),
    ),
  )
const save = useMutation({
  mutationFn: (seen: number) =>
    answer(
      api.PUT('/api/cars/{car_id}', { params: { path: { car_id: props.id }, header: version(seen) }, body: change() }),
    ),
  onSuccess: () => (editing.value = false),
  onSettled: settle,
})
const theirs = computed(() => theirsOf<Car>(save.error.value))
const remove = useMutation({
  mutationFn: () => answer(api.DELETE('/api/cars/{car_id}', { params: { path: { car_id: props.id } } })),
  onSuccess: () => router.push({ name: 'cars' }),
  onSettled: settle,
})
const names = computed(() => Object.fromEntries((drivers.data.value?.items ?? []).map((item) => [item.id, item.name])))
const facts = computed(() => {
  const row = car.data.value
  if (!row) return []
  return (
    [
      ['Class', row.car_class],
      ['Drive', row.drive],
      ['Gears', asTyped(row.gears)],
      ['Limiter', row.limiter_rpm ? `${row.limiter_rpm.toLocaleString('en')} rpm` : ''],
      [
        'Shift up at',
        (row.shift_rpm ?? [])
          .map((rpm, index) => `${index + 1} to ${index + 2}: ${rpm.toLocaleString('en')}`)
          .join(', '),
      ],
      ['Assists it has', (row.assists ?? []).join(', ')],
      ['Cold tyres', row.cold_laps === null ? '' : `${row.cold_laps} flying ${row.cold_laps === 1 ? 'lap' : 'laps'}`],
      ['Tank', row.tank_l ? fuel(row.tank_l) : ''],
      ['Battery', row.battery_kwh ? `${row.battery_kwh} kWh` : ''],
      [
        'Who may drive it',
        row.restricted ? row.driver_ids.map((id) => names.value[id] ?? '…').join(', ') || 'nobody yet' : 'all',
      ],
    ] as [string, string | null | undefined][]
  ).filter((item) => item[1])
})
</script>

<template>
  <WeekHead :title="car.data.value?.name ?? 'Car'">
    <span v-if="car.data.value && all && !editing" class="acts">
      <v-btn size="small" color="primary" @click="edit(car.data.value)">Change</v-btn>
      <v-btn size="small" variant="outlined" @click="remove.mutate()">Remove</v-btn>
    </span>
  </WeekHead>
  <SkeletonRows v-if="car.isPending.value" :rows="8" label="Loading the car" />
  <TroubleNote :error="car.error.value ?? remove.error.value" />
  <form v-if="editing" v-draft="`car ${id}`" class="sheet part" @submit.prevent="save.mutate(form.version)">
    <h2>Change {{ car.data.value?.name }}</h2>
    <div class="fields">
      <label>Name <input v-model="form.name" class="field" maxlength="120" required /></label>
      <label>Class <input v-model="form.car_class" class="field" maxlength="120" /></label>
      <label>Drive <input v-model="form.drive" class="field" maxlength="120" placeholder="rear" /></label>
      <label>Gears <input v-model="form.gears" v-reads class="field" inputmode="numeric" /></label>
      <label>Limiter, rpm <input v-model="form.limiter_rpm" v-reads class="field" inputmode="numeric" /></label>
      <label
        >Shift up at, rpm by gear
        <input v-model="form.shift_rpm" v-reads="'numbers'" class="field" placeholder="8700 8750 8800"
      /></label>
      <label>Assists it has <input v-model="form.assists" class="field" placeholder="ABS, traction" /></label>
      <label>Laps on cold tyres <input v-model="form.cold_laps" v-reads class="field" inputmode="numeric" /></label>
      <label>Tank, {{ units.volume }} <input v-model="form.tank_l" v-reads class="field" inputmode="decimal" /></label>
      <label>Battery, kWh <input v-model="form.battery_kwh" v-reads class="field" inputmode="decimal" /></label>
      <label class="wide"
        >How it is, one sentence a line
        <textarea v-model="form.traits" class="field" rows="3" placeholder="Needs the throttle laid on, not stabbed." />
      </label>
      <label class="wide">Note <textarea v-model="form.note" class="field" rows="2" maxlength="5000" /></label>
    </div>
    <fieldset>
      <legend>Settings</legend>
      <SettingsTable v-model="form.settings" label="Settings" does />
    </fieldset>
    <fieldset>
      <legend>Who may drive it</legend>
      <label class="check"><input v-model="form.restricted" type="checkbox" /> Only these drivers</label>
      <div v-if="form.restricted" class="drivers">
        <label v-for="item in drivers.data.value?.items.filter((one) => !one.guest)" :key="item.id" class="check"
          ><input v-model="form.driver_ids" type="checkbox" :value="item.id" /> {{ item.name }}</label
        >
      </div>
    </fieldset>
    <TheirsNote v-if="theirs" @mine="save.mutate(theirs.version)" @theirs="(edit(theirs), save.reset())">
      Somebody else changed this car meanwhile.
    </TheirsNote>
    <TroubleNote v-else :error="save.error.value" />
    <div class="buttons">
      <WorkButton type="submit" color="primary" :disabled="!!bad" :loading="save.isPending.value">Keep</WorkButton>
      <v-btn variant="outlined" @click="editing = false">Leave it</v-btn>
      <span class="bad" role="status">{{ bad }}</span>
    </div>
  </form>
  <div v-else-if="car.data.value" class="columns">
    <section class="sheet part" aria-labelledby="facts-title">
      <h2 id="facts-title">What it is</h2>
      <dl>
        <template v-for="[name, value] in facts" :key="name"
          ><dt>{{ name }}</dt>
          <dd>{{ value }}</dd></template
        >
      </dl>
      <p v-if="car.data.value.note" class="note-text">{{ car.data.value.note }}</p>
    </section>
    <section class="sheet part" aria-labelledby="traits-title">
      <h2 id="traits-title">How it is</h2>
      <p v-if="!car.data.value.traits?.length" class="quiet">
        Nobody has written that down yet: what does it punish, what does it like?
      </p>
      <ul>
        <li v-for="trait in car.data.value.traits" :key="trait">{{ trait }}</li>
      </ul>
      <h3>Uses, from lap to lap</h3>
      <p v-if="!car.data.value.consumption.length" class="quiet">No laps yet that tell fuel or energy.</p>
      <p v-for="item in car.data.value.consumption" :key="item.track + item.layout">
        <template v-if="item.fuel_l_per_lap !== null">{{ fuel(item.fuel_l_per_lap, 2) }}</template><template
          v-if="item.energy_kwh_per_lap !== null"
        >
          {{ item.energy_kwh_per_lap.toFixed(2) }} kWh</template
        >
        a lap
        <span class="quiet">at {{ item.track }}, {{ item.layout }}; median of {{ item.drivers }} drivers</span>
      </p>
    </section>
    <section class="sheet part" aria-labelledby="places-title">
      <h2 id="places-title">Where it was driven</h2>
      <p v-if="!car.data.value.places.length" class="quiet">Nowhere yet.</p>
      <p v-for="place in car.data.value.places" :key="place.id">
        <RouterLink :to="{ name: 'combination', params: { id: place.id } }"
          >{{ place.track }}, {{ place.layout }}</RouterLink
        >
      </p>
    </section>
    <section class="sheet part wide" aria-labelledby="settings-title">
      <h2 id="settings-title">Settings</h2>
      <p v-if="!car.data.value.settings?.length" class="quiet">None written down yet.</p>
      <div v-else class="scroll-x" tabindex="0" role="region" aria-label="Settings of the car">
        <table class="ledger">
          <thead>
            <tr>
              <th scope="col">Setting</th>
              <th scope="col" class="number">Default</th>
              <th scope="col">Range</th>
              <th scope="col">What it does</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="item in car.data.value.settings" :key="item.name">
              <td>{{ item.name }}</td>
              <td class="number">{{ item.default }} {{ item.unit }}</td>
              <td>
                <template v-if="item.low !== null || item.high !== null">{{ item.low }} to {{ item.high }}</template
                ><template v-if="item.step"> by {{ item.step }}</template>
              </td>
              <td>{{ item.does }}</td>
            </tr>
          </tbody>
        </table>
      </div>
    </section>
    <section class="sheet part wide weeks" aria-labelledby="weeks-title">
      <h2 id="weeks-title">In which weeks</h2>
      <p v-if="!car.data.value.weeks.length" class="quiet">In none so far.</p>
      <p v-for="week in car.data.value.weeks" :key="week.id">
        <RouterLink :to="{ name: 'series-week', params: { id: week.id } }"
          >{{ week.series }}, week {{ week.number }}</RouterLink
        >
        <span class="quiet">{{ plainDay(week.begins) }}, {{ week.place }}</span>
      </p>
    </section>
  </div>
</template>

<style scoped>
.acts {
  margin-left: auto;
  display: flex;
  gap: 6px;
}
.columns {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(min(100%, 340px), 1fr));
  gap: 12px;
  align-items: start;
}
.weeks {
  columns: 2 380px;
}
.weeks h2 {
  column-span: all;
}
.wide {
  grid-column: 1 / -1;
}
dl {
  display: grid;
  grid-template-columns: max-content 1fr;
  gap: 1px 14px;
}
dt {
  color: var(--quiet);
}
fieldset {
  border: 0;
  padding: 0;
  margin: 12px 0;
}
legend {
  font-weight: 600;
}
.check {
  display: block;
  padding: 2px 0;
}
.drivers {
  columns: 3 180px;
}
h3 {
  font-size: 0.98rem;
  margin-top: 10px;
}
.note-text {
  white-space: pre-wrap;
  margin-top: 6px;
}
</style>
