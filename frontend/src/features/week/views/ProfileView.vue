<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, reactive, ref, watch } from 'vue'
import { RouterLink, useRouter } from 'vue-router'
import {
  answer,
  api,
  theirsOf,
  version,
  type Availability,
  type Profile,
  type ProfileChange,
} from '@/shared/api/client'
import WeekHead from '@/features/week/parts/WeekHead.vue'
import HoursEditor from '@/features/week/parts/HoursEditor.vue'
import { asTyped, readNumber } from '@/shared/format'
import SkeletonRows from '@/shared/parts/SkeletonRows.vue'
import TheirsNote from '@/shared/parts/TheirsNote.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import WorkButton from '@/shared/parts/WorkButton.vue'
import { useMay } from '@/shared/session'
import { hoursWords } from '@/shared/words'

const props = defineProps<{ id: string }>()
const queries = useQueryClient()
const router = useRouter()
const may = useMay()
const all = computed(() => may('drivers.see_all'))
const profile = useQuery({
  queryKey: ['profile', () => props.id],
  queryFn: () => answer(api.GET('/api/profiles/{driver_id}', { params: { path: { driver_id: props.id } } })),
})
const usual = computed(() => profile.data.value?.usual_care)
const form = reactive({
  version: 0,
  nickname: '',
  zone: '',
  abs: '',
  traction: '',
  shifting: '',
  line: '',
  controls: '',
  angle: '',
  screens: '',
  sight: '',
  preferences: '',
  speed: '',
  temperature: '',
  pressure: '',
  fuel: '',
  seat: '',
  pause: '',
  most: '',
  quietFrom: '',
  quietTo: '',
  hours: { weekly: [], off: [], extra: [] } as Required<Availability>,
})
function show(row: Profile) {
  Object.assign(form, {
    version: row.version,
    nickname: asTyped(row.nickname),
    zone: asTyped(row.zone),
    abs: asTyped(row.assists?.abs),
    traction: asTyped(row.assists?.traction),
    shifting: asTyped(row.assists?.shifting),
    line: asTyped(row.assists?.line),
    controls: asTyped(row.controls),
    angle: asTyped(row.view?.field_of_view_deg),
    screens: asTyped(row.view?.screens),
    sight: asTyped(row.view?.words),
    preferences: asTyped(row.preferences),
    speed: asTyped(row.units?.speed),
    temperature: asTyped(row.units?.temperature),
    pressure: asTyped(row.units?.pressure),
    fuel: asTyped(row.units?.fuel),
    seat: asTyped(row.care?.seat_limit_minutes),
    pause: asTyped(row.care?.break_minutes),
    most: asTyped(row.care?.day_limit_minutes),
    quietFrom: asTyped(row.care?.quiet_from),
    quietTo: asTyped(row.care?.quiet_to),
    hours: JSON.parse(
      JSON.stringify({ weekly: [], off: [], extra: [], ...row.availability }),
    ) as Required<Availability>,
  })
}
const said = ref('')
watch(
  () => profile.data.value,
  (row) => row && row.id === props.id && !form.version && show(row),
  { immediate: true },
)
const bad = computed(() =>
  [form.angle, form.screens, form.seat, form.pause, form.most].some((value) => Number.isNaN(readNumber(value) ?? 0))
    ? 'Field of view, screens and minutes are numbers.'
    : form.hours.weekly.some((item) => !item.days.length)
      ? 'A weekly window needs a day.'
      : '',
)
const body = (): ProfileChange =>
  ({
    nickname: form.nickname || null,
    zone: form.zone || null,
    assists: {
      abs: form.abs || null,
      traction: form.traction || null,
      shifting: form.shifting || null,
      line: form.line || null,
    },
    controls: form.controls || null,
    view: { field_of_view_deg: readNumber(form.angle), screens: readNumber(form.screens), words: form.sight || null },
    preferences: form.preferences || null,
    units: {
      speed: form.speed || null,
      temperature: form.temperature || null,
      pressure: form.pressure || null,
      fuel: form.fuel || null,
    },
    availability: form.hours,
    care: {
      seat_limit_minutes: readNumber(form.seat),
      break_minutes: readNumber(form.pause),
      day_limit_minutes: readNumber(form.most),
      quiet_from: form.quietFrom || null,
      quiet_to: form.quietTo || null,
    },
  }) as ProfileChange
const settle = () =>
  Promise.all(
    ['profile', 'profiles', 'drivers', 'board', 'starts', 'steps', 'history'].map((key) =>
      queries.invalidateQueries({ queryKey: [key] }),
    ),
  )
const save = useMutation({
  mutationFn: (seen: number) =>
    answer(
      api.PUT('/api/profiles/{driver_id}', {
        params: { path: { driver_id: props.id }, header: version(seen) },
        body: body(),
      }),
    ),
  onSuccess: (row) => {
    show(row)
    said.value = 'Kept.'
  },
  onSettled: settle,
})
const theirs = computed(() => theirsOf<Profile>(save.error.value))
const remove = useMutation({
  mutationFn: () => answer(api.DELETE('/api/profiles/{driver_id}', { params: { path: { driver_id: props.id } } })),
  onSuccess: () => router.push({ name: 'team' }),
  onSettled: settle,
})
/** Somebody else changed it, or it was taken back, while nothing was typed here: then it is shown anew. */
watch(
  () => profile.data.value?.version,
  (seen) => seen && seen !== form.version && !save.isError.value && profile.data.value && show(profile.data.value),
)
</script>

<template>
  <WeekHead :title="profile.data.value?.name ?? 'Driver'">
    <v-btn
      v-if="may('driver.remove') && profile.data.value"
      class="act"
      size="small"
      variant="outlined"
      @click="remove.mutate()"
      >Remove</v-btn
    >
  </WeekHead>
  <SkeletonRows v-if="profile.isPending.value" :rows="10" label="Loading the profile" />
  <TroubleNote :error="profile.error.value ?? remove.error.value" />
  <form v-if="profile.data.value && form.version" v-draft="`profile ${id}`" @submit.prevent="save.mutate(form.version)">
    <div class="columns">
      <section class="sheet part" aria-labelledby="how-title">
        <h2 id="how-title">How {{ all ? 'they drive and see' : 'you drive and see' }}</h2>
        <div class="fields">
          <label>Nickname <input v-model="form.nickname" class="field" maxlength="120" /></label>
          <label>ABS <input v-model="form.abs" class="field" maxlength="120" placeholder="as the car has it" /></label>
          <label>Traction <input v-model="form.traction" class="field" maxlength="120" /></label>
          <label
            >Clutch and blip
            <input v-model="form.shifting" class="field" maxlength="120" placeholder="paddles, own clutch"
          /></label>
          <label>Racing line <input v-model="form.line" class="field" maxlength="120" placeholder="off" /></label>
          <label>Controls <input v-model="form.controls" class="field" maxlength="500" /></label>
          <label>Field of view, degrees <input v-model="form.angle" v-reads class="field" inputmode="decimal" /></label>
          <label>Screens <input v-model="form.screens" v-reads class="field" inputmode="numeric" /></label>
          <label class="wide"
            >What can and can't be seen
            <input
              v-model="form.sight"
              class="field"
              maxlength="500"
              placeholder="Bonnet view: the left kerb is hidden"
          /></label>
          <label class="wide"
            >Prefers
            <textarea
              v-model="form.preferences"
              class="field"
              rows="2"
              maxlength="5000"
              placeholder="Short notes; one thing a day"
            />
          </label>
        </div>
        <p class="quiet">References depend on the view: a marker that one sees may be hidden from another.</p>
        <h3>Units on sheets for this driver</h3>
        <div class="fields">
          <label
            >Speed
            <select v-model="form.speed">
              <option value="">as the team's</option>
              <option>km/h</option>
              <option>mph</option>
            </select></label
          >
          <label
            >Temperature
            <select v-model="form.temperature">
              <option value="">as the team's</option>
              <option>°C</option>
              <option>°F</option>
            </select></label
          >
          <label
            >Pressure
            <select v-model="form.pressure">
              <option value="">as the team's</option>
              <option>kPa</option>
              <option>bar</option>
              <option>psi</option>
            </select></label
          >
          <label
            >Fuel
            <select v-model="form.fuel">
              <option value="">as the team's</option>
              <option>l</option>
              <option>gal</option>
            </select></label
          >
        </div>
        <p v-if="profile.data.value.cars.length">
          May drive
          <template v-for="(car, index) in profile.data.value.cars" :key="car.id"
            ><template v-if="index">, </template
            ><RouterLink :to="{ name: 'car', params: { id: car.id } }">{{ car.name }}</RouterLink></template
          >
          <span class="quiet">and every car that is open to all.</span>
        </p>
      </section>
      <section class="sheet part" aria-label="Free time">
        <HoursEditor v-model="form.hours" v-model:zone="form.zone" />
        <h3>Care</h3>
        <div class="fields">
          <label
            >At the seat without a break, min
            <input
              v-model="form.seat"
              v-reads
              class="field"
              inputmode="numeric"
              :placeholder="asTyped(usual?.seat_limit_minutes)"
          /></label>
          <label
            >Break behind it, min
            <input
              v-model="form.pause"
              v-reads
              class="field"
              inputmode="numeric"
              :placeholder="asTyped(usual?.break_minutes)"
          /></label>
          <label
            >In a day, min
            <input
              v-model="form.most"
              v-reads
              class="field"
              inputmode="numeric"
              :placeholder="asTyped(usual?.day_limit_minutes)"
          /></label>
          <label>Quiet from <input v-model="form.quietFrom" class="field" type="time" /></label>
          <label>Quiet to <input v-model="form.quietTo" class="field" type="time" /></label>
        </div>
        <p class="quiet">
          The plan never goes beyond these; empty means the usual of the team, quiet from {{ usual?.quiet_from }} to
          {{ usual?.quiet_to }}. Long sitting and strong wheels tire eyes, back and wrists: keep the emergency stop in
          reach, and stop when tired.
        </p>
      </section>
    </div>
    <TheirsNote v-if="theirs" @mine="save.mutate(theirs.version)" @theirs="(show(theirs), save.reset())">
      Somebody else changed this profile meanwhile: {{ hoursWords(theirs.availability)
      }}{{ theirs.nickname ? `, “${theirs.nickname}”` : '' }}.
    </TheirsNote>
    <TroubleNote v-else :error="save.error.value" />
    <div class="buttons">
      <WorkButton type="submit" color="primary" :disabled="!!bad" :loading="save.isPending.value">Keep</WorkButton>
      <span class="bad" role="status">{{ bad || said }}</span>
    </div>
  </form>
</template>

<style scoped>
.act {
  margin-left: auto;
}
.columns {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(min(100%, 420px), 1fr));
  gap: 12px;
  align-items: start;
}
h3 {
  font-size: 0.98rem;
  margin-top: 10px;
}
</style>
